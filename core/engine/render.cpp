#include "engine/render.h"

#include <cmath>

#include "base/sound_file.h"
#include "chain/chain.h"
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

}  // namespace

Result<AudioBuffer> render(const ChainSpec& spec, const AudioBuffer& in, double sample_rate, int block) {
    auto built = Chain::build(spec, {sample_rate, in.channels()});
    if (!built.ok()) return built.error();
    Chain& chain = *built.value();
    const auto latency = static_cast<size_t>(chain.latency());
    AudioBuffer work = in;
    work.resize(in.frames() + latency);
    for (size_t done = 0; done < work.frames();) {
        const auto n = std::min<size_t>(static_cast<size_t>(block), work.frames() - done);
        chain.process(work.block(done, static_cast<int>(n)));
        done += n;
    }
    AudioBuffer out(in.channels(), in.frames());
    for (int c = 0; c < in.channels(); ++c) {
        std::copy(work[c].begin() + static_cast<std::ptrdiff_t>(latency), work[c].end(), out[c].begin());
    }
    return out;
}

Result<RenderReport> render_file(const ChainSpec& spec, const std::filesystem::path& in,
                                 const std::filesystem::path& out, bool pcm24, int block,
                                 const Progress& progress) {
    std::error_code ec;
    if (std::filesystem::equivalent(in, out, ec)) {
        return Error{"input and output are the same file.", out.string(),
                     "Choose another name for the output."};
    }
    auto opened = SoundReader::open(in);
    if (!opened.ok()) return opened.error();
    SoundReader& reader = *opened.value();
    const auto format = chain_format(reader.info(), in);
    if (!format.ok()) return format.error();
    auto built = Chain::build(spec, format.value());
    if (!built.ok()) return built.error();
    Chain& chain = *built.value();
    auto created =
        SoundWriter::create(out, format.value(), pcm24 ? SampleFormat::pcm24 : SampleFormat::float32);
    if (!created.ok()) return created.error();
    SoundWriter& writer = *created.value();

    RenderReport report;
    report.latency = chain.latency();
    std::int64_t skip = chain.latency();
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
            return Error{"it was cancelled.", out.string(), "Nothing was written."};
        }
    }
    if (report.frames == 0) {
        return Error{"it holds no sound.", in.string(), "It may have been cut off while it was written."};
    }
    if (auto whole = reader.complete(); !whole.ok()) return whole.error();
    for (std::int64_t tail = report.latency; tail > 0;) {
        const auto n = std::min<std::int64_t>(tail, block);
        buffer.clear();
        if (auto written = push(static_cast<size_t>(n)); !written.ok()) return written.error();
        tail -= n;
    }
    if (auto finished = writer.finish(); !finished.ok()) return finished.error();
    report.clipped = writer.clipped();
    report.faults = chain.faults();
    return report;
}

Result<LevelReport> file_levels(const ChainSpec& spec, const std::filesystem::path& in) {
    auto opened = SoundReader::open(in);
    if (!opened.ok()) return opened.error();
    SoundReader& reader = *opened.value();
    const auto format = chain_format(reader.info(), in);
    if (!format.ok()) return format.error();
    auto built = Chain::build(spec, format.value());
    if (!built.ok()) return built.error();
    Chain& chain = *built.value();
    const double seconds = static_cast<double>(reader.info().frames) / format.value().sample_rate;
    LevelStatistics statistics(spec.stages.size() + 1, seconds + 10.0);
    TapQueue queue(4096);
    chain.set_tap_queue(&queue);
    VoiceDetector detector(format.value().sample_rate);
    const auto length = static_cast<std::int64_t>(std::lround(kTapFrameSeconds * format.value().sample_rate));
    const auto take = [&](TapFrame frame) {
        if (frame.tap == 0) frame.voice = detector.at(frame.index * length);
        statistics.push(frame);
    };
    constexpr size_t kBlock = 1024;
    AudioBuffer buffer(reader.info().channels, kBlock);
    const auto push = [&](size_t frames) {
        std::vector<float> mono(frames);
        for (int c = 0; c < buffer.channels(); ++c) {
            for (size_t i = 0; i < frames; ++i)
                mono[i] += buffer[c][i] / static_cast<float>(buffer.channels());
        }
        detector.add(mono.data(), static_cast<int>(frames));
        chain.process(buffer.block(0, static_cast<int>(frames)));
        for (TapFrame frame; queue.try_dequeue(frame);) take(frame);
    };
    for (size_t n = reader.read(buffer); n > 0; n = reader.read(buffer)) push(n);
    if (auto whole = reader.complete(); !whole.ok()) return whole.error();
    // The end of the sound still has to come out of the later stages. Silence pushed in for that must not
    // count as room at the input, so the taps stop at the length of the file (they share what all have).
    const auto pieces = static_cast<std::int64_t>(seconds / kTapFrameSeconds);
    buffer.clear();
    for (std::int64_t tail = chain.latency(); tail > 0; tail -= kBlock) {
        chain.process(buffer.block(0, kBlock));
        for (TapFrame frame; queue.try_dequeue(frame);) {
            if (frame.index < pieces) take(frame);
        }
    }
    return statistics.report();
}

}  // namespace reed
