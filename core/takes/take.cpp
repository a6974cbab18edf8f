#include "takes/take.h"

#include <algorithm>
#include <cmath>
#include <ctime>
#include <mutex>

#include "base/file.h"
#include "base/folded.h"
#include "dsp/resample.h"

namespace reed {
namespace {

constexpr size_t kLongestFileName = 120;  // bytes, of the 255 that file systems take
constexpr int kMostSameNames = 10'000;
constexpr double kOpusRate = 48000.0;

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

float highest(const AudioBuffer& sound) {
    float out = 0.0f;
    for (int c = 0; c < sound.channels(); ++c) {
        for (const float x : sound[c]) out = std::max(out, std::abs(x));
    }
    return out;
}

SoundTags tags_of(const TakeNotes& notes) {
    return {notes.name, notes.device, notes.strip, notes.date, notes.notes};
}

Error unusable(const Take& take) {
    return {take.problem, take.path.string(), "Choose another take."};
}

}  // namespace

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
        out.problem = "it has " + std::to_string(out.info.channels) + " channels; 1 or 2 can be used.";
    else if (out.info.sample_rate < kMinSampleRate || out.info.sample_rate > kMaxSampleRate)
        out.problem = "its sample rate is outside 44.1 to 192 kHz.";
    else if (out.seconds() > kLongestTake)
        out.problem = "it is longer than half an hour.";
    return out;
}

Result<void> TakeStore::make_folder(const std::filesystem::path& folder) const {
    std::error_code ec;
    std::filesystem::create_directories(folder, ec);
    if (!ec) return {};
    return Error{"the folder of the takes can't be made (" + ec.message() + ").", folder.string(),
                 "Check its permissions and the free space."};
}

std::filesystem::path TakeStore::free_name(const std::filesystem::path& folder, const std::string& name,
                                           const std::string& extension) const {
    std::error_code ec;
    const auto free = [&](const std::string& stem) {
        return std::filesystem::symlink_status(folder / (stem + ".flac"), ec).type() ==
                   std::filesystem::file_type::not_found &&
               std::filesystem::symlink_status(folder / (stem + ".wav"), ec).type() ==
                   std::filesystem::file_type::not_found;
    };
    std::string stem = name;
    for (int n = 2; !free(stem) && n < kMostSameNames; ++n) stem = name + " " + std::to_string(n);
    return folder / (stem + extension);
}

Result<Take> TakeStore::write(const AudioBuffer& sound, double sample_rate, const TakeNotes& notes) const {
    // From a free name to the file of that name: two at once would find the same one free.
    static std::mutex one_at_a_time;
    const std::lock_guard lock(one_at_a_time);
    if (auto made = make_folder(folder_); !made.ok()) return made.error();
    const bool past = highest(sound) > 1.0f;
    const auto path = free_name(folder_, file_name(notes.name), past ? ".wav" : ".flac");
    auto created = SoundWriter::create(path, {sample_rate, sound.channels()},
                                       past ? SampleFormat::float32 : SampleFormat::pcm24, tags_of(notes));
    if (!created.ok()) return created.error();
    AudioBuffer copy(sound.channels(), 65536);
    for (size_t done = 0; done < sound.frames();) {
        const size_t n = std::min(copy.frames(), sound.frames() - done);
        for (int c = 0; c < sound.channels(); ++c)
            std::copy_n(sound[c].begin() + static_cast<std::ptrdiff_t>(done), n, copy[c].begin());
        if (auto written = created.value()->write(copy.block(0, static_cast<int>(n))); !written.ok())
            return written.error();
        done += n;
    }
    if (auto finished = created.value()->finish(); !finished.ok()) return finished.error();
    return read_take(path);
}

Result<Take> TakeStore::keep(const AudioBuffer& sound, double sample_rate, TakeNotes notes) const {
    if (sound.frames() == 0)
        return Error{"there is no sound to keep.", folder_.string(), "Speak first, then keep it."};
    if (notes.date.empty()) notes.date = date_now();
    if (notes.name.empty()) {
        notes.name = notes.date;
        std::ranges::replace(notes.name, 'T', ' ');
        std::ranges::replace(notes.name, ':', '.');
    }
    return write(sound, sample_rate, notes);
}

Result<Take> TakeStore::import(const std::filesystem::path& file, const Progress& progress) const {
    Take from = read_take(file);
    if (!from.problem.empty()) return Error{from.problem, file.string(), "Choose another file."};
    auto opened = SoundReader::open(file);
    if (!opened.ok()) return opened.error();
    AudioBuffer sound(from.info.channels, 0);
    AudioBuffer piece(from.info.channels, 65536);
    const auto most = static_cast<std::int64_t>(kLongestTake * from.info.sample_rate);
    for (size_t n = opened.value()->read(piece); n > 0; n = opened.value()->read(piece)) {
        const size_t before = sound.frames();
        if (static_cast<std::int64_t>(before + n) > most)
            return Error{"it is longer than half an hour.", file.string(), "Cut it into shorter pieces."};
        sound.resize(before + n);
        for (int c = 0; c < sound.channels(); ++c)
            std::copy_n(piece[c].begin(), n, sound[c].begin() + static_cast<std::ptrdiff_t>(before));
        const double done = static_cast<double>(sound.frames()) / static_cast<double>(from.info.frames);
        if (progress && !progress(0.9 * std::min(1.0, done)))
            return Error{"it was cancelled.", file.string(), "Nothing was taken in."};
    }
    if (auto whole = opened.value()->complete(); !whole.ok()) return whole.error();
    if (from.notes.date.empty()) from.notes.date = date_now();
    return write(sound, from.info.sample_rate, from.notes);
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
    return Error{"there is no take of this name.", name, "See which there are: take list."};
}

Result<Take> TakeStore::trim(const Take& take, std::int64_t first, std::int64_t count) const {
    SoundInfo info;
    auto sound = read_sound(take.path, &info);
    if (!sound.ok()) return sound.error();
    const auto all = static_cast<std::int64_t>(sound.value().frames());
    const std::int64_t from = std::clamp<std::int64_t>(first, 0, all);
    const std::int64_t n = std::clamp<std::int64_t>(count, 0, all - from);
    if (n < static_cast<std::int64_t>(0.1 * info.sample_rate))
        return Error{"less than a tenth of a second would be left.", take.notes.name,
                     "Choose a longer part."};
    AudioBuffer part(sound.value().channels(), static_cast<size_t>(n));
    for (int c = 0; c < part.channels(); ++c)
        std::copy_n(sound.value()[c].begin() + from, n, part[c].begin());
    auto written = write(part, info.sample_rate, take.notes);
    if (!written.ok()) return written;
    if (auto gone = remove(take); !gone.ok()) return gone.error();
    return written;
}

Result<Take> TakeStore::rename(const Take& take, const std::string& name) const {
    SoundInfo info;
    auto sound = read_sound(take.path, &info);
    if (!sound.ok()) return sound.error();
    TakeNotes notes = take.notes;
    notes.name = name;
    if (name.empty()) return Error{"a take needs a name.", take.notes.name, "Type one."};
    auto written = write(sound.value(), info.sample_rate, notes);
    if (!written.ok()) return written;
    if (auto gone = remove(take); !gone.ok()) return gone.error();
    return written;
}

Result<std::filesystem::path> TakeStore::remove(const Take& take) const {
    const auto folder = folder_ / "removed";
    if (auto made = make_folder(folder); !made.ok()) return made.error();
    const auto to = free_name(folder, take.path.stem().string(), take.path.extension().string());
    std::error_code ec;
    std::filesystem::rename(take.path, to, ec);
    if (ec)
        return Error{"it can't be removed (" + ec.message() + ").", take.path.string(),
                     "It may be gone already, or the folder can't be written."};
    return to;
}

Result<Take> TakeStore::bring_back(const std::filesystem::path& removed) const {
    const auto to = free_name(folder_, removed.stem().string(), removed.extension().string());
    std::error_code ec;
    std::filesystem::rename(removed, to, ec);
    if (ec)
        return Error{"it can't be brought back (" + ec.message() + ").", removed.string(),
                     "It may have been deleted."};
    return read_take(to);
}

Result<void> TakeStore::write_out(const Take& take, const std::filesystem::path& to, const ChainSpec* chain,
                                  const Progress& progress) const {
    std::string extension = to.extension().string();
    std::ranges::transform(extension, extension.begin(), [](unsigned char c) { return std::tolower(c); });
    const bool opus = extension == ".opus";
    if (chain != nullptr && !opus) {
        auto rendered = render_file(*chain, take.path, to, false, 1024, progress);
        if (!rendered.ok()) return rendered.error();
        return {};
    }
    SoundInfo info;
    auto read = read_sound(take.path, &info);
    if (!read.ok()) return read.error();
    AudioBuffer sound = std::move(read.value());
    if (chain != nullptr) {
        auto made = render(*chain, sound, info.sample_rate);
        if (!made.ok()) return made.error();
        sound = std::move(made.value());
    }
    double rate = info.sample_rate;
    if (opus && rate != kOpusRate) {
        AudioBuffer at48(sound.channels(), 0);
        for (int c = 0; c < sound.channels(); ++c) {
            std::vector<float> row = resample(sound[c], rate, kOpusRate);
            if (c == 0) at48.resize(row.size());
            at48[c] = std::move(row);
        }
        sound = std::move(at48);
        rate = kOpusRate;
    }
    auto created =
        SoundWriter::create(to, {rate, sound.channels()}, SampleFormat::float32, tags_of(take.notes));
    if (!created.ok()) return created.error();
    constexpr size_t kPiece = 65536;
    for (size_t done = 0; done < sound.frames(); done += kPiece) {
        const size_t n = std::min(kPiece, sound.frames() - done);
        if (auto written = created.value()->write(sound.block(done, static_cast<int>(n))); !written.ok())
            return written;
        if (progress && !progress(static_cast<double>(done + n) / static_cast<double>(sound.frames())))
            return Error{"it was cancelled.", to.string(), "Nothing was written."};
    }
    return created.value()->finish();
}

}  // namespace reed
