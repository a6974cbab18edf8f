#include "engine/render.h"

#include <cmath>
#include <functional>
#include <limits>

#include "base/sound_file.h"
#include "chain/chain.h"
#include "dsp/stream_resampler.h"
#include "measure/voice_detector.h"

namespace reed {
namespace {

/// The format of a file, if the chain can take it.
Result<StreamFormat> chain_format(const SoundInfo& info, const std::filesystem::path& path) {
    StreamFormat format{info.sample_rate, info.channels};
    auto chain = Chain::build({}, format);
    if (!chain.ok()) {
        Error e = chain.error();
        e.where = path.string();
        return e;
    }
    return format;
}

/// Writes sound of one rate to a file of another, with the delay of the resampler compensated.
class RateWriter {
  public:
    RateWriter(SoundWriter& file, const StreamFormat& from, double rate, int longest)
        : file_(file),
          out_(from.channels, static_cast<size_t>(longest * std::max(1.0, rate / from.sample_rate)) + 8) {
        if (rate == from.sample_rate) return;
        for (int c = 0; c < from.channels; ++c)
            resamplers_.emplace_back(static_cast<int>(from.sample_rate), static_cast<int>(rate));
        early_ = std::llround(resamplers_[0].delay() * rate / from.sample_rate);
    }
    /// Frames of silence that push the last of the sound out.
    int tail() const { return resamplers_.empty() ? 0 : resamplers_[0].delay(); }
    Result<void> write(const AudioBlock& block) {
        if (resamplers_.empty()) return file_.write(block);
        AudioBlock out = out_.block(0, 0);
        for (int c = 0; c < block.channels; ++c) {
            int n = 0;
            resamplers_[static_cast<size_t>(c)].process(block[c], block.frames,
                                                        [&](float x) { out[c][n++] = x; });
            out.frames = n;
        }
        const int dropped = static_cast<int>(std::min<std::int64_t>(early_, out.frames));
        early_ -= dropped;
        return file_.write(out.slice(dropped, out.frames - dropped));
    }

  private:
    SoundWriter& file_;
    std::vector<StreamResampler> resamplers_;
    AudioBuffer out_;
    std::int64_t early_ = 0;  // frames that come before the sound
};

}  // namespace

Result<AudioBuffer> render(const ChainSpec& spec, const AudioBuffer& in, double sample_rate, int block,
                           const Progress& progress) {
    auto built = Chain::build(spec, {sample_rate, in.channels()});
    if (!built.ok()) return built.error();
    Chain& chain = *built.value();
    const auto latency = static_cast<size_t>(chain.latencies().total());
    AudioBuffer work = in;
    work.resize(in.frames() + latency);
    for (size_t done = 0; done < work.frames();) {
        const auto n = std::min<size_t>(static_cast<size_t>(block), work.frames() - done);
        chain.process(work.block(done, static_cast<int>(n)));
        done += n;
        if (progress && !progress(static_cast<double>(done) / static_cast<double>(work.frames())))
            return cancelled("");
    }
    AudioBuffer out(in.channels(), in.frames());
    for (int c = 0; c < in.channels(); ++c) {
        std::copy(work[c].begin() + static_cast<std::ptrdiff_t>(latency), work[c].end(), out[c].begin());
    }
    return out;
}

Result<RenderReport> render_file(const ChainSpec& spec, const std::filesystem::path& in,
                                 const std::filesystem::path& out, bool pcm24, int block,
                                 const Progress& progress, const SoundTags& tags) {
    std::error_code ec;
    if (std::filesystem::equivalent(in, out, ec)) {
        return Error{"is both input and output.", out.string(), "Choose another name for the output."};
    }
    auto opened = SoundReader::open(in);
    if (!opened.ok()) return opened.error();
    SoundReader& reader = *opened.value();
    const auto format = chain_format(reader.info(), in);
    if (!format.ok()) return format.error();
    auto built = Chain::build(spec, format.value());
    if (!built.ok()) return built.error();
    Chain& chain = *built.value();
    const double rate = SoundWriter::rate_for(out, format.value().sample_rate);
    auto created = SoundWriter::create(out, {rate, format.value().channels},
                                       pcm24 ? SampleFormat::pcm24 : SampleFormat::float32, tags);
    if (!created.ok()) return created.error();
    SoundWriter& file = *created.value();
    RateWriter writer(file, format.value(), rate, block);

    RenderReport report;
    report.latency = chain.latencies().total();
    std::int64_t skip = report.latency;
    AudioBuffer buffer(reader.info().channels, static_cast<size_t>(block));
    const auto push = [&](size_t frames) -> Result<void> {
        chain.process(buffer.block(0, static_cast<int>(frames)));
        const auto dropped = std::min<std::int64_t>(skip, static_cast<std::int64_t>(frames));
        skip -= dropped;
        return writer.write(
            buffer.block(static_cast<size_t>(dropped), static_cast<int>(frames) - static_cast<int>(dropped)));
    };
    for (size_t n = reader.read(buffer); n > 0; n = reader.read(buffer)) {
        if (auto written = push(n); !written.ok()) return written.error();
        report.frames += static_cast<std::int64_t>(n);
        if (progress &&
            !progress(static_cast<double>(report.frames) / static_cast<double>(reader.info().frames))) {
            return cancelled(out.string());
        }
    }
    if (report.frames == 0) {
        return Error{"holds no audio.", in.string(), "It may have been cut off while it was written."};
    }
    if (auto whole = reader.complete(); !whole.ok()) return whole.error();
    for (std::int64_t tail = report.latency + writer.tail(); tail > 0;) {
        const auto n = std::min<std::int64_t>(tail, block);
        buffer.clear();
        if (auto written = push(static_cast<size_t>(n)); !written.ok()) return written.error();
        tail -= n;
    }
    if (auto finished = file.finish(); !finished.ok()) return finished.error();
    report.clipped = file.clipped();
    report.faults = chain.faults();
    return report;
}

namespace {

/// Fills a block; 0: the end. Fails when not all was there, at the end.
struct Source {
    StreamFormat format;
    std::int64_t frames = 0;
    std::function<size_t(AudioBuffer&)> read;
    std::function<Result<void>()> complete;
    AudioBuffer* made = nullptr;  // what comes out, in time with what came in
};

Result<LevelStatistics> levels_of(const ChainSpec& spec, const Source& from, const Progress& progress) {
    auto built = Chain::build(spec, from.format);
    if (!built.ok()) return built.error();
    Chain& chain = *built.value();
    const double rate = from.format.sample_rate, seconds = static_cast<double>(from.frames) / rate;
    LevelStatistics statistics(spec.stages.size() + 1, seconds + 10.0);
    TapQueue queue(4096);
    chain.set_tap_queue(&queue);
    VoiceDetector detector(rate);
    const auto length = static_cast<std::int64_t>(std::lround(kTapFrameSeconds * rate));
    // The end of the sound still has to come out of the later stages. Silence pushed in for that must not
    // count as room at the input, so the taps stop at the length of the file (they share what all have).
    auto pieces = std::numeric_limits<std::int64_t>::max();
    const auto take = [&](TapFrame frame) {
        if (frame.index >= pieces) return;
        if (frame.tap == 0) frame.voice = detector.at(frame.index * length);
        statistics.push(frame);
    };
    constexpr size_t kBlock = 1024;
    AudioBuffer buffer(from.format.channels, kBlock);
    auto out_at = -static_cast<std::int64_t>(chain.latency());
    const auto run = [&](size_t frames) {
        chain.process(buffer.block(0, static_cast<int>(frames)));
        for (TapFrame frame; queue.try_dequeue(frame);) take(frame);
        if (from.made == nullptr) return;
        const auto end = static_cast<std::int64_t>(from.made->frames());
        for (size_t i = 0; i < frames; ++i, ++out_at) {
            if (out_at < 0 || out_at >= end) continue;
            for (int c = 0; c < buffer.channels(); ++c)
                (*from.made)[c][static_cast<size_t>(out_at)] = buffer[c][i];
        }
    };
    std::int64_t done = 0;
    for (size_t n = from.read(buffer); n > 0; n = from.read(buffer)) {
        std::vector<float> mono(n);
        for (int c = 0; c < buffer.channels(); ++c) {
            for (size_t i = 0; i < n; ++i) mono[i] += buffer[c][i] / static_cast<float>(buffer.channels());
        }
        detector.add(mono.data(), static_cast<int>(n));
        run(n);
        done += static_cast<std::int64_t>(n);
        if (progress && !progress(static_cast<double>(done) / static_cast<double>(from.frames)))
            return cancelled("");
    }
    if (auto whole = from.complete(); !whole.ok()) return whole.error();
    pieces = static_cast<std::int64_t>(seconds / kTapFrameSeconds);
    buffer.clear();
    for (std::int64_t tail = chain.latency(); tail > 0; tail -= kBlock) {
        run(kBlock);
        buffer.clear();
    }
    return statistics;
}

}  // namespace

Result<LevelStatistics> sound_levels(const ChainSpec& chain, const AudioBuffer& sound, double sample_rate,
                                     const Progress& progress, AudioBuffer* made) {
    if (made != nullptr) *made = AudioBuffer(sound.channels(), sound.frames());
    size_t at = 0;
    Source from;
    from.format = {sample_rate, sound.channels()};
    from.frames = static_cast<std::int64_t>(sound.frames());
    from.read = [&](AudioBuffer& to) {
        const size_t n = std::min(to.frames(), sound.frames() - at);
        for (int c = 0; c < sound.channels(); ++c)
            std::copy_n(sound[c].begin() + static_cast<std::ptrdiff_t>(at), n, to[c].begin());
        at += n;
        return n;
    };
    from.complete = [] { return Result<void>(); };
    from.made = made;
    return levels_of(chain, from, progress);
}

Result<LevelReport> file_levels(const ChainSpec& spec, const std::filesystem::path& in) {
    auto opened = SoundReader::open(in);
    if (!opened.ok()) return opened.error();
    SoundReader& reader = *opened.value();
    const auto format = chain_format(reader.info(), in);
    if (!format.ok()) return format.error();
    Source from;
    from.format = format.value();
    from.frames = reader.info().frames;
    from.read = [&](AudioBuffer& to) { return reader.read(to); };
    from.complete = [&] { return reader.complete(); };
    auto levels = levels_of(spec, from, {});
    if (!levels.ok()) return levels.error();
    return levels.value().report();
}

}  // namespace reed
