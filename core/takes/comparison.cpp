#include "takes/comparison.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "chain/chain.h"
#include "measure/loudness.h"

namespace reed {
namespace {

constexpr int kBlock = 1024;

void turn(AudioBuffer& sound, double db) {
    const auto gain = static_cast<float>(db_to_gain(db));
    for (int c = 0; c < sound.channels(); ++c) {
        for (float& x : sound[c]) x *= gain;
    }
}

ChainSpec up_to(const ChainSpec& chain, size_t end) {
    ChainSpec out = chain;
    out.stages.resize(std::min(end, out.stages.size()));
    return out;
}

Result<int> latency_of(const ChainSpec& chain, const StreamFormat& format) {
    auto built = Chain::build(chain, format);
    if (!built.ok()) return built.error();
    return built.value()->latency();
}

}  // namespace

Result<AudioBuffer> render_side(const Side& side, const AudioBuffer& in, double sample_rate, int* latency,
                                const Progress& progress) {
    if (latency != nullptr) *latency = 0;
    if (side.what == Side::What::plain) return in;
    if (side.what == Side::What::processed) {
        if (latency != nullptr) {
            const auto frames = latency_of(side.chain, {sample_rate, in.channels()});
            if (!frames.ok()) return frames.error();
            *latency = frames.value();
        }
        return render(side.chain, in, sample_rate, kBlock, progress);
    }
    auto before = render(up_to(side.chain, side.first), in, sample_rate, kBlock, part_of(progress, 0.0, 0.5));
    if (!before.ok()) return before;
    auto after = render(up_to(side.chain, std::max(side.first, side.end)), in, sample_rate, kBlock,
                        part_of(progress, 0.5, 1.0));
    if (!after.ok()) return after;
    for (int c = 0; c < in.channels(); ++c) {
        auto& out = before.value()[c];
        std::ranges::transform(out, after.value()[c], out.begin(), std::minus<>());
    }
    return before;
}

Result<Compared> compare(const Side& a, const Side& b, const AudioBuffer& in, double sample_rate,
                         bool match) {
    return compare(a, in, b, in, sample_rate, match);
}

Result<Compared> compare(const Side& a, const AudioBuffer& in_a, const Side& b, const AudioBuffer& in_b,
                         double sample_rate, bool match, const Progress& progress) {
    Compared out;
    int a_latency = 0, b_latency = 0;
    auto first = render_side(a, in_a, sample_rate, &a_latency, part_of(progress, 0.0, 0.45));
    if (!first.ok()) return first.error();
    auto second = render_side(b, in_b, sample_rate, &b_latency, part_of(progress, 0.45, 0.9));
    if (!second.ok()) return second.error();
    out.a = std::move(first.value());
    out.b = std::move(second.value());
    out.delay_frames = b_latency - a_latency;
    const LoudnessReading a_loud = measure_loudness(out.a, sample_rate),
                          b_loud = measure_loudness(out.b, sample_rate);
    out.a_lufs = a_loud.integrated;
    out.b_lufs = b_loud.integrated;
    if (match && out.a_lufs && out.b_lufs) {
        out.a_gain_db = std::min(0.0, *out.b_lufs - *out.a_lufs);
        out.b_gain_db = std::min(0.0, *out.a_lufs - *out.b_lufs);
        if (out.a_gain_db != 0.0) turn(out.a, out.a_gain_db);
        if (out.b_gain_db != 0.0) turn(out.b, out.b_gain_db);
    }
    if (a_loud.true_peak) out.a_true_peak_dbtp = *a_loud.true_peak + out.a_gain_db;
    if (b_loud.true_peak) out.b_true_peak_dbtp = *b_loud.true_peak + out.b_gain_db;
    const size_t frames = std::max(out.a.frames(), out.b.frames());
    out.a.resize(frames);
    out.b.resize(frames);
    return out;
}

}  // namespace reed
