#include "devices/file_device.h"

#include <algorithm>
#include <chrono>

#include "chain/chain.h"

namespace reed {
namespace {

constexpr size_t kPiece = 4096;  // frames read at a time
constexpr double kAheadSeconds = 2.0;
constexpr auto kPause = std::chrono::milliseconds(50);    // of the reading, while enough is there
constexpr auto kPauseOfBroken = std::chrono::seconds(1);  // before a file that gave nothing is tried again

}  // namespace

Result<std::unique_ptr<FileDevice>> FileDevice::create(const std::filesystem::path& path) {
    auto opened = SoundReader::open(path);
    if (!opened.ok()) return opened.error();
    const SoundInfo info = opened.value()->info();
    auto fits = Chain::build({}, {info.sample_rate, info.channels});
    if (!fits.ok()) {
        Error e = fits.error();
        e.where = path.string();
        return e;
    }
    std::unique_ptr<FileDevice> out(new FileDevice);
    out->path_ = path;
    out->format_ = {info.sample_rate, info.channels};
    out->reader_ = std::move(opened.value());
    out->piece_ = AudioBuffer(info.channels, kPiece);
    out->ahead_ =
        std::make_shared<HistoryRing>(info.channels, static_cast<size_t>(kAheadSeconds * info.sample_rate));
    out->playing_.follow(out->ahead_);
    if (!out->read_piece()) {
        const std::lock_guard lock(out->mutex_);
        return Error{out->problem_, path.string(), "It may have been cut off while it was written."};
    }
    return out;
}

/// Reads the next piece into `ahead_`, from the beginning again at the end. False when the file gives none.
bool FileDevice::read_piece() {
    std::string problem;
    size_t n = reader_ ? reader_->read(piece_) : 0;
    if (n == 0) {
        if (reader_) {
            if (const auto whole = reader_->complete(); !whole.ok()) problem = whole.error().what;
        }
        auto again = SoundReader::open(path_);
        if (again.ok() && (again.value()->info().sample_rate != format_.sample_rate ||
                           again.value()->info().channels != format_.channels)) {
            problem = "now has another sample rate or channel count.";
            reader_.reset();
        } else if (again.ok()) {
            reader_ = std::move(again.value());
            n = reader_->read(piece_);
            if (n == 0) problem = "holds no audio.";
        } else {
            problem = again.error().what;
            reader_.reset();
        }
        const std::lock_guard lock(mutex_);
        problem_ = problem;
    }
    if (n > 0) ahead_->write(piece_.block(0, static_cast<int>(n)));
    return n > 0;
}

void FileDevice::read_ahead() {
    std::unique_lock lock(mutex_);
    while (!quit_) {
        lock.unlock();
        auto pause = std::chrono::milliseconds(0);
        // A reader may still use the block that would be overwritten next, so one block is kept free.
        if (ahead_->written() - played_.load(std::memory_order_acquire) +
                2 * static_cast<std::int64_t>(kPiece) >
            static_cast<std::int64_t>(ahead_->capacity()))
            pause = kPause;
        else if (!read_piece())
            pause = kPauseOfBroken;
        lock.lock();
        if (pause.count() > 0) ending_.wait_for(lock, pause, [this] { return quit_; });
    }
}

void FileDevice::fill(const AudioBlock& block) {
    if (playing_.read(block) == RingReader::Got::sound) {
        played_.store(playing_.at(), std::memory_order_release);
        return;
    }
    missed_.fetch_add(1, std::memory_order_relaxed);
    for (int c = 0; c < block.channels; ++c) std::fill_n(block[c], block.frames, 0.0f);
}

Result<void> FileDevice::start(AudioCallback& callback, FeedSink* feed) {
    stop();
    quit_ = false;
    missed_ = 0;
    reading_ = std::thread([this] { read_ahead(); });
    thread_.start(
        format_, 256, [this](const AudioBlock& block) { fill(block); }, callback, feed);
    return {};
}

void FileDevice::stop() {
    thread_.stop();
    {
        const std::lock_guard lock(mutex_);
        quit_ = true;
    }
    ending_.notify_all();
    if (reading_.joinable()) reading_.join();
}

DeviceStatus FileDevice::status() const {
    DeviceStatus out;
    out.running = thread_.running();
    out.dropouts = thread_.dropouts() + missed_.load(std::memory_order_relaxed);
    const std::lock_guard lock(mutex_);
    if (!problem_.empty()) {
        out.problem = path_.filename().string() + " " + problem_ + " It starts again from the beginning.";
        out.waiting = true;
    }
    return out;
}

}  // namespace reed
