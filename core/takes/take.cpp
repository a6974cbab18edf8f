#include "takes/take.h"

#include <algorithm>
#include <cmath>
#include <ctime>
#include <mutex>
#include <set>

#include "base/case_folding.h"
#include "base/file.h"

namespace reed {
namespace {

constexpr size_t kLongestFileName = 120;                  // bytes, of the 255 that file systems take
constexpr std::string_view kKinds[] = {".flac", ".wav"};  // of files that are takes
constexpr double kShortest = 0.1;                         // seconds
constexpr size_t kPiece = 65536;

/// A file's name of what a person wrote: nothing that folders or other systems stumble over.
std::string file_name(const std::string& name) {
    std::string out;
    for (const char c : name) {
        const auto u = static_cast<unsigned char>(c);
        const bool odd =
            u < 32 || u == 127 || std::string_view("/\\:*?\"<>|").find(c) != std::string_view::npos;
        out += odd ? '-' : c;
    }
    if (out.size() > kLongestFileName) {
        size_t end = kLongestFileName;
        while (end > 0 && (static_cast<unsigned char>(out[end]) & 0xC0U) == 0x80U) --end;  // whole letters
        out.resize(end);
    }
    while (!out.empty() && (out.back() == ' ' || out.back() == '.')) out.pop_back();
    while (!out.empty() && (out.front() == '.' || out.front() == ' ')) out.erase(0, 1);
    return out.empty() ? "Take" : out;
}

float highest(const AudioBuffer& sound, size_t frames) {
    float out = 0.0f;
    for (int c = 0; c < sound.channels(); ++c) {
        for (size_t i = 0; i < frames; ++i) out = std::max(out, std::abs(sound[c][i]));
    }
    return out;
}

std::string named_by_date(std::string date) {
    std::ranges::replace(date, 'T', ' ');
    std::ranges::replace(date, ':', '.');
    return date;
}

/// A free name for a file that will be there later: two that are written at once would find the same one
/// free.
class FreeName {
  public:
    FreeName(const std::filesystem::path& folder, const std::string& name, const char* extension) {
        const std::lock_guard lock(mutex());
        path_ = unique_path(folder / (name + extension), kKinds);
        for (int n = 2; given().contains(key()); ++n)
            path_ = unique_path(folder / (name + "-" + std::to_string(n) + extension), kKinds);
        given().insert(key());
    }
    ~FreeName() {
        const std::lock_guard lock(mutex());
        given().erase(key());
    }
    FreeName(const FreeName&) = delete;
    FreeName& operator=(const FreeName&) = delete;
    const std::filesystem::path& path() const { return path_; }

  private:
    std::filesystem::path key() const { return std::filesystem::path(path_).replace_extension(); }
    static std::mutex& mutex() {
        static std::mutex one;
        return one;
    }
    static std::set<std::filesystem::path>& given() {
        static std::set<std::filesystem::path> names;
        return names;
    }
    std::filesystem::path path_;
};

Error unusable(const Take& take) {
    return {take.problem, take.path.string(), "Choose another take."};
}

}  // namespace

SoundTags tags_of(const TakeNotes& notes) {
    return {notes.name, notes.device, notes.strip, notes.date, notes.notes};
}

std::string date_now() {
    const std::time_t now = std::time(nullptr);
    std::tm day{};
    localtime_r(&now, &day);
    char out[32];
    std::strftime(out, sizeof out, "%Y-%m-%dT%H:%M:%S", &day);
    return out;
}

Take read_take(const std::filesystem::path& path) {
    Take out;
    out.path = path;
    auto opened = SoundReader::open(path);
    if (!opened.ok()) {
        out.notes.name = path.stem().string();
        out.problem = opened.error().what;
        return out;
    }
    out.info = opened.value()->info();
    const SoundTags tags = opened.value()->tags();
    out.notes = {tags.title, tags.album, tags.artist, tags.date, tags.comment};
    if (out.notes.name.empty()) out.notes.name = path.stem().string();
    if (out.info.channels > kMaxChannels)
        out.problem = "has " + std::to_string(out.info.channels) + " channels; 1 or 2 can be used.";
    else if (out.info.sample_rate < kMinSampleRate || out.info.sample_rate > kMaxSampleRate)
        out.problem = "has a sample rate outside 44.1 to 192 kHz.";
    else if (out.seconds() > kLongestTake)
        out.problem = "is longer than 30 minutes.";
    return out;
}

Result<void> TakeStore::make_folder(const std::filesystem::path& folder) const {
    const std::error_code ec = create_folders(folder);
    if (!ec) return {};
    return Error{"can't be created: " + ec.message() + ".", folder.string(),
                 "Check its permissions and the free space."};
}

Result<Take> TakeStore::write(const Pull& pull, bool past, const StreamFormat& format,
                              const TakeNotes& notes) const {
    if (auto made = make_folder(folder_); !made.ok()) return made.error();
    const FreeName name(folder_, file_name(notes.name), past ? ".wav" : ".flac");
    const auto& path = name.path();
    auto created =
        SoundWriter::create(path, format, past ? SampleFormat::float32 : SampleFormat::pcm24, tags_of(notes));
    if (!created.ok()) return created.error();
    AudioBuffer piece(format.channels, kPiece);
    for (;;) {
        const Result<size_t> n = pull(piece);
        if (!n.ok()) return n.error();
        if (n.value() == 0) break;
        if (auto written = created.value()->write(piece.block(0, static_cast<int>(n.value()))); !written.ok())
            return written.error();
    }
    if (auto finished = created.value()->finish(); !finished.ok()) return finished.error();
    return read_take(path);
}

Result<Take> TakeStore::copy(const std::filesystem::path& from, std::int64_t first, std::int64_t count,
                             const TakeNotes& notes, const Progress& progress) const {
    // Twice through: how high it goes decides what kind of file can hold it.
    bool past = false;
    StreamFormat format;
    for (const bool writes : {false, true}) {
        auto opened = SoundReader::open(from);
        if (!opened.ok()) return opened.error();
        SoundReader& reader = *opened.value();
        format = {reader.info().sample_rate, reader.info().channels};
        if (first > 0 && !reader.seek(first))
            return Error{"ends before the selected part.", from.string(), "It may have been cut off."};
        std::int64_t left = count;
        const Pull pull = [&](AudioBuffer& to) -> Result<size_t> {
            const auto n =
                static_cast<size_t>(std::min<std::int64_t>(left, static_cast<std::int64_t>(reader.read(to))));
            left -= static_cast<std::int64_t>(n);
            const double done =
                static_cast<double>(count - left) / static_cast<double>(std::max<std::int64_t>(1, count));
            if (progress && !progress((writes ? 0.5 : 0.0) + 0.5 * done)) return cancelled(from.string());
            if (n == 0 && left > 0 && left < count) {
                if (auto whole = reader.complete(); !whole.ok()) return whole.error();
            }
            return n;
        };
        if (writes) return write(pull, past, format, notes);
        AudioBuffer piece(format.channels, kPiece);
        for (;;) {
            const Result<size_t> n = pull(piece);
            if (!n.ok()) return n.error();
            if (n.value() == 0) break;
            past = past || highest(piece, n.value()) > 1.0f;
        }
        if (left == count) return Error{"holds no audio.", from.string(), "Record it again."};
    }
    return Error{"can't be imported.", from.string(), ""};
}

Result<Take> TakeStore::keep(const AudioBuffer& sound, double sample_rate, TakeNotes notes) const {
    if (sound.frames() == 0)
        return Error{"There is no audio to save.", folder_.string(), "Speak first, then save it."};
    if (static_cast<double>(sound.frames()) < kShortest * sample_rate)
        return Error{"is shorter than 0.1 s.", notes.name, "Speak a little longer, then save it."};
    if (notes.date.empty()) notes.date = date_now();
    if (notes.name.empty()) notes.name = named_by_date(notes.date);
    size_t at = 0;
    const Pull pull = [&](AudioBuffer& to) -> Result<size_t> {
        const size_t n = std::min(to.frames(), sound.frames() - at);
        for (int c = 0; c < sound.channels(); ++c)
            std::copy_n(sound[c].begin() + static_cast<std::ptrdiff_t>(at), n, to[c].begin());
        at += n;
        return n;
    };
    return write(pull, highest(sound, sound.frames()) > 1.0f, {sample_rate, sound.channels()}, notes);
}

Result<Take> TakeStore::import(const std::filesystem::path& file, const Progress& progress) const {
    return import(file, read_take(file).notes, progress);
}

Result<Take> TakeStore::import(const std::filesystem::path& file, TakeNotes notes,
                               const Progress& progress) const {
    const Take from = read_take(file);
    if (!from.problem.empty()) return Error{from.problem, file.string(), "Choose another file."};
    if (from.seconds() < kShortest)
        return Error{"is shorter than 0.1 s.", file.string(), "Choose a longer file."};
    if (notes.date.empty()) notes.date = date_now();
    if (notes.name.empty()) notes.name = named_by_date(notes.date);
    return copy(file, 0, from.info.frames, notes, progress);
}

std::vector<Take> TakeStore::list() const {
    std::vector<Take> out;
    std::error_code ec;
    for (std::filesystem::directory_iterator i(folder_, ec), end; !ec && i != end; i.increment(ec)) {
        const std::string extension = i->path().extension().string();
        const std::string name = i->path().filename().string();
        if (name.starts_with('.') || (extension != ".flac" && extension != ".wav")) continue;
        out.push_back(read_take(i->path()));
    }
    std::ranges::sort(out, [](const Take& a, const Take& b) {
        return a.notes.date != b.notes.date ? a.notes.date > b.notes.date : a.path < b.path;
    });
    return out;
}

Result<Take> TakeStore::find(const std::string& name) const {
    for (Take& take : list()) {
        const std::string stem = take.path.stem().string(), file = take.path.filename().string();
        if (!same_name(take.notes.name, name) && !same_name(stem, name) && !same_name(file, name)) continue;
        if (!take.problem.empty()) return unusable(take);
        return std::move(take);
    }
    return Error{"is not the name of a take.", name, "List the takes with “take list”."};
}

Result<Take> TakeStore::trim(const Take& take, std::int64_t first, std::int64_t count,
                             const Progress& progress) const {
    const std::int64_t from = std::clamp<std::int64_t>(first, 0, take.info.frames);
    const std::int64_t n = std::clamp<std::int64_t>(count, 0, take.info.frames - from);
    if (static_cast<double>(n) < kShortest * take.info.sample_rate)
        return Error{"would be shorter than 0.1 s.", take.notes.name, "Choose a longer part."};
    return replace(take, from, n, take.notes, progress);
}

Result<Take> TakeStore::rename(const Take& take, const std::string& name, const Progress& progress) const {
    if (name.empty()) return Error{"A take needs a name.", take.notes.name, "Enter one."};
    TakeNotes notes = take.notes;
    notes.name = name;
    return replace(take, 0, take.info.frames, notes, progress);
}

Result<Take> TakeStore::replace(const Take& take, std::int64_t first, std::int64_t count,
                                const TakeNotes& notes, const Progress& progress) const {
    auto written = copy(take.path, first, count, notes, progress);
    if (!written.ok()) return written;
    if (auto gone = remove(take); !gone.ok()) return gone.error();
    return written;
}

Result<std::filesystem::path> TakeStore::remove(const Take& take) const {
    const auto folder = folder_ / "removed";
    if (auto made = make_folder(folder); !made.ok()) return made.error();
    const auto to = unique_path(folder / take.path.filename(), kKinds);
    std::error_code ec;
    std::filesystem::rename(take.path, to, ec);
    if (ec)
        return Error{"can't be removed: " + ec.message() + ".", take.path.string(),
                     "It may be gone already, or the folder can't be written."};
    return to;
}

Result<Take> TakeStore::bring_back(const std::filesystem::path& removed) const {
    const auto to = unique_path(folder_ / removed.filename(), kKinds);
    std::error_code ec;
    std::filesystem::rename(removed, to, ec);
    if (ec)
        return Error{"can't be restored: " + ec.message() + ".", removed.string(),
                     "It may have been deleted."};
    return read_take(to);
}

Result<void> TakeStore::write_out(const Take& take, const std::filesystem::path& to, const ChainSpec* chain,
                                  const Progress& progress) const {
    const ChainSpec none;
    auto written = render_file(chain != nullptr ? *chain : none, take.path, to, false, 8192, progress,
                               tags_of(take.notes));
    if (!written.ok()) return written.error();
    return {};
}

}  // namespace reed
