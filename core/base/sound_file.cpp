#include "base/sound_file.h"

#include <fcntl.h>
#include <sndfile.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <fstream>
#include <limits>
#include <optional>
#include <utility>

#include "base/file.h"

namespace reed {
namespace {

std::string lower_extension(const std::filesystem::path& path) {
    std::string ext = path.extension().string();
    std::transform(ext.begin(), ext.end(), ext.begin(), [](unsigned char c) { return std::tolower(c); });
    return ext;
}

/// libsndfile's own words, without its full stop.
std::string library_reason(SNDFILE* file) {
    std::string text = sf_strerror(file);
    while (!text.empty() && (text.back() == '.' || text.back() == '\n')) text.pop_back();
    return text;
}

Error cut_off(const std::filesystem::path& path) {
    return {"is truncated: it holds less audio than its header says.", path.string(),
            "Copy or record it again; an audio editor can save the part that exists."};
}

/// libsndfile shortens a truncated WAV file without an error; its header still has the whole length.
bool wav_is_cut_off(const std::filesystem::path& path) {
    std::ifstream in(path, std::ios::binary);
    unsigned char head[8] = {};
    if (!in.read(reinterpret_cast<char*>(head), sizeof head) || std::memcmp(head, "RIFF", 4) != 0)
        return false;
    const std::uint64_t announced = head[4] | head[5] << 8 | head[6] << 16 | std::uint64_t{head[7]} << 24;
    if (announced == 0 || announced >= 0xfffffff0U)
        return false;  // written to a pipe: the length was not known
    std::error_code ec;
    return announced + 8 > std::filesystem::file_size(path, ec) + 1;  // a padding byte may be missing
}

}  // namespace

struct SoundReader::Handle {
    SNDFILE* file = nullptr;
    ~Handle() {
        if (file != nullptr) sf_close(file);
    }
};

Result<std::unique_ptr<SoundReader>> SoundReader::open(const std::filesystem::path& path) {
    std::error_code ec;
    if (!std::filesystem::exists(path, ec)) return Error{"doesn't exist.", path.string(), ""};
    if (std::filesystem::is_directory(path, ec))
        return Error{"is a folder, not an audio file.", path.string(), ""};
    // A pipe would be waited for without an end.
    if (!std::filesystem::is_regular_file(path, ec)) return Error{"isn't a regular file.", path.string(), ""};
    if (std::filesystem::file_size(path, ec) == 0) {
        return Error{"is empty.", path.string(), "Record it again."};
    }
    if (wav_is_cut_off(path)) return cut_off(path);
    SF_INFO info{};
    auto handle = std::make_unique<Handle>();
    handle->file = sf_open(path.c_str(), SFM_READ, &info);
    if (handle->file == nullptr) {
        return Error{"can't be read as audio: " + library_reason(nullptr) + ".", path.string(),
                     "WAV, FLAC, Ogg and Opus files are understood."};
    }
    if (info.frames <= 0 || info.channels <= 0) {
        return Error{"holds no audio.", path.string(), "It may have been cut off while it was written."};
    }
    std::unique_ptr<SoundReader> out(new SoundReader);
    out->handle_ = std::move(handle);
    out->path_ = path;
    out->info_ = {static_cast<double>(info.samplerate), info.channels, info.frames};
    return out;
}

SoundReader::~SoundReader() = default;

SoundTags SoundReader::tags() const {
    const auto tag = [this](int which) {
        const char* text = sf_get_string(handle_->file, which);
        return text != nullptr ? std::string(text) : std::string();
    };
    return {tag(SF_STR_TITLE), tag(SF_STR_ARTIST), tag(SF_STR_ALBUM), tag(SF_STR_DATE), tag(SF_STR_COMMENT)};
}

size_t SoundReader::read(AudioBuffer& out) {
    const auto channels = static_cast<size_t>(info_.channels);
    interleaved_.resize(channels * out.frames());
    const sf_count_t got =
        sf_readf_float(handle_->file, interleaved_.data(), static_cast<sf_count_t>(out.frames()));
    const auto frames = static_cast<size_t>(std::max<sf_count_t>(got, 0));
    frames_read_ += static_cast<std::int64_t>(frames);
    for (size_t c = 0; c < channels && static_cast<int>(c) < out.channels(); ++c) {
        float* row = out[static_cast<int>(c)].data();
        for (size_t i = 0; i < frames; ++i) row[i] = interleaved_[i * channels + c];
    }
    return frames;
}

bool SoundReader::seek(std::int64_t frame) {
    if (sf_seek(handle_->file, frame, SEEK_SET) != frame) return false;
    frames_read_ = frame;
    return true;
}

Result<void> SoundReader::complete() const {
    // Where the length is not known in advance, libsndfile gives the largest number there is.
    const bool known = info_.frames < std::numeric_limits<std::int64_t>::max() / 2;
    if (known && frames_read_ < info_.frames) return cut_off(path_);
    return {};
}

Result<AudioBuffer> read_sound(const std::filesystem::path& path, SoundInfo* info, std::int64_t max_frames) {
    auto opened = SoundReader::open(path);
    if (!opened.ok()) return opened.error();
    SoundReader& reader = *opened.value();
    if (info != nullptr) *info = reader.info();
    // The header's length is not trusted with memory: the buffer grows with what is really there.
    AudioBuffer out(reader.info().channels, 0);
    AudioBuffer piece(reader.info().channels, 65536);
    for (;;) {
        const size_t n = reader.read(piece);
        if (n == 0) break;
        const size_t before = out.frames();
        if (static_cast<std::int64_t>(before + n) > max_frames) {
            return Error{"is too long to fit in memory.", path.string(), "Cut it into shorter pieces."};
        }
        out.resize(before + n);
        for (int c = 0; c < out.channels(); ++c) {
            std::copy_n(piece[c].begin(), n, out[c].begin() + static_cast<std::ptrdiff_t>(before));
        }
    }
    if (out.frames() == 0) {
        return Error{"holds no audio.", path.string(), "It may have been cut off while it was written."};
    }
    if (auto whole = reader.complete(); !whole.ok()) return whole.error();
    return out;
}

Result<AudioBuffer> read_sound_part(const std::filesystem::path& path, std::int64_t first, std::int64_t count,
                                    SoundInfo* info) {
    auto opened = SoundReader::open(path);
    if (!opened.ok()) return opened.error();
    SoundReader& reader = *opened.value();
    if (info != nullptr) *info = reader.info();
    if (first > 0 && !reader.seek(first))
        return Error{"ends before the selected part.", path.string(), "It may have been cut off."};
    AudioBuffer out(reader.info().channels, 0);
    AudioBuffer piece(reader.info().channels, 65536);
    while (static_cast<std::int64_t>(out.frames()) < count) {
        const size_t before = out.frames();
        const size_t n = std::min(reader.read(piece), static_cast<size_t>(count) - before);
        if (n == 0) break;
        out.resize(before + n);
        for (int c = 0; c < out.channels(); ++c)
            std::copy_n(piece[c].begin(), n, out[c].begin() + static_cast<std::ptrdiff_t>(before));
    }
    if (out.frames() == 0) return Error{"holds no audio there.", path.string(), "It may have been cut off."};
    return out;
}

struct SoundWriter::Handle {
    explicit Handle(AtomicFileWriter to) : replacement(std::move(to)) {}
    explicit Handle(int opened) : fd(opened) {}
    Handle(const Handle&) = delete;
    Handle& operator=(const Handle&) = delete;
    std::optional<AtomicFileWriter> replacement;  // none: the file grows where it is
    int fd = -1;
    SNDFILE* file = nullptr;
    ~Handle() {
        if (file != nullptr) sf_close(file);
        if (fd >= 0) ::close(fd);
    }
};

double SoundWriter::rate_for(const std::filesystem::path& path, double rate) {
    return lower_extension(path) == ".opus" ? 48000.0 : rate;
}

Result<std::unique_ptr<SoundWriter>> SoundWriter::create(const std::filesystem::path& path,
                                                         const StreamFormat& format, SampleFormat samples,
                                                         const SoundTags& tags) {
    const std::string ext = lower_extension(path);
    SF_INFO info{};
    info.samplerate = static_cast<int>(std::lround(format.sample_rate));
    info.channels = format.channels;
    if (ext == ".flac") {
        info.format = SF_FORMAT_FLAC | SF_FORMAT_PCM_24;
        samples = SampleFormat::pcm24;
    } else if (ext == ".wav") {
        info.format = SF_FORMAT_WAV | (samples == SampleFormat::pcm24 ? SF_FORMAT_PCM_24 : SF_FORMAT_FLOAT);
    } else if (ext == ".opus") {
        info.format = SF_FORMAT_OGG | SF_FORMAT_OPUS;
        samples = SampleFormat::float32;
    } else {
        return Error{"has an unsupported audio format: \"" + ext + "\".", path.string(),
                     "Use .wav, .flac or .opus."};
    }
    std::error_code ec;
    if (path.has_parent_path() && !std::filesystem::is_directory(path.parent_path(), ec)) {
        return Error{"The folder doesn't exist.", path.string(), "Create it first."};
    }
    auto begun = AtomicFileWriter::begin(path);
    if (!begun.ok()) return begun.error();
    std::unique_ptr<SoundWriter> out(new SoundWriter);
    out->target_ = path;
    out->channels_ = format.channels;
    out->integer_ = samples == SampleFormat::pcm24;
    out->handle_ = std::make_unique<Handle>(std::move(begun.value()));
    out->handle_->file = sf_open_fd(out->handle_->replacement->descriptor(), SFM_WRITE, &info, SF_FALSE);
    if (out->handle_->file == nullptr) {
        return Error{"can't be written: " + library_reason(nullptr) + ".", path.string(),
                     "Check the folder's permissions and free space."};
    }
    out->tell(tags);
    // Values beyond full scale are cut here and counted, not wrapped around.
    sf_command(out->handle_->file, SFC_SET_CLIPPING, nullptr, SF_TRUE);
    return out;
}

Result<std::unique_ptr<SoundWriter>> SoundWriter::grow(const std::filesystem::path& path,
                                                       const StreamFormat& format, const SoundTags& tags) {
    const int fd =
        ::open(path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, new_file_mode(path));
    if (fd < 0) {
        return Error{std::string("can't be written: ") + std::strerror(errno) + ".", path.string(),
                     "Check the folder's permissions and free space."};
    }
    (void)::flock(fd, LOCK_EX | LOCK_NB);  // for grows(); ends with the program, however that ends
    std::unique_ptr<SoundWriter> out(new SoundWriter);
    out->target_ = path;
    out->channels_ = format.channels;
    out->handle_ = std::make_unique<Handle>(fd);
    SF_INFO info{};
    info.samplerate = static_cast<int>(std::lround(format.sample_rate));
    info.channels = format.channels;
    info.format = SF_FORMAT_WAV | SF_FORMAT_FLOAT;
    out->handle_->file = sf_open_fd(fd, SFM_WRITE, &info, SF_FALSE);
    if (out->handle_->file == nullptr) {
        ::unlink(path.c_str());
        return Error{"can't be written: " + library_reason(nullptr) + ".", path.string(),
                     "Check the folder's free space."};
    }
    out->tell(tags);
    sf_command(out->handle_->file, SFC_SET_UPDATE_HEADER_AUTO, nullptr, SF_TRUE);
    return out;
}

bool SoundWriter::grows(const std::filesystem::path& path) {
    const int fd = ::open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC);
    if (fd < 0) return false;
    const bool held = ::flock(fd, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK;
    ::close(fd);
    return held;
}

void SoundWriter::tell(const SoundTags& tags) {
    const std::pair<int, const std::string&> told[] = {{SF_STR_TITLE, tags.title},
                                                       {SF_STR_ARTIST, tags.artist},
                                                       {SF_STR_ALBUM, tags.album},
                                                       {SF_STR_DATE, tags.date},
                                                       {SF_STR_COMMENT, tags.comment}};
    for (const auto& [which, text] : told) {
        if (!text.empty()) sf_set_string(handle_->file, which, text.c_str());
    }
}

SoundWriter::~SoundWriter() = default;

Result<void> SoundWriter::write(const AudioBlock& block) {
    const auto channels = static_cast<size_t>(channels_);
    interleaved_.resize(channels * static_cast<size_t>(block.frames));
    for (size_t c = 0; c < channels; ++c) {
        for (size_t i = 0; i < static_cast<size_t>(block.frames); ++i) {
            const float x = block[static_cast<int>(c)][i];
            if (integer_ && std::abs(x) > 1.0f) ++clipped_;
            interleaved_[i * channels + c] = x;
        }
    }
    if (sf_writef_float(handle_->file, interleaved_.data(), block.frames) != block.frames) {
        return Error{"can't be written: " + library_reason(handle_->file) + ".", target_.string(),
                     "Check the free space."};
    }
    return {};
}

Result<void> SoundWriter::finish() {
    const int closed = sf_close(std::exchange(handle_->file, nullptr));
    const std::unique_ptr<Handle> done = std::move(handle_);
    if (closed != 0)
        return Error{"couldn't be written completely.", target_.string(), "Check the free space."};
    if (done->replacement) return done->replacement->commit();
    return {};
}

}  // namespace reed
