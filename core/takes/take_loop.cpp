#include "takes/take_loop.h"

#include <algorithm>
#include <cmath>

#include "dsp/resample.h"

namespace reed {
namespace {

AudioBuffer twice(const AudioBuffer& x) {
    AudioBuffer y = x;
    y.resize(2 * x.frames());
    for (int c = 0; c < x.channels(); ++c)
        std::ranges::copy(x[c], y[c].begin() + static_cast<std::ptrdiff_t>(x.frames()));
    return y;
}

AudioBuffer second_half(const AudioBuffer& x) {
    AudioBuffer y(x.channels(), x.frames() / 2);
    for (int c = 0; c < x.channels(); ++c)
        std::copy(x[c].begin() + static_cast<std::ptrdiff_t>(x.frames() / 2), x[c].end(), y[c].begin());
    return y;
}

}  // namespace

AudioBuffer fitted(AudioBuffer sound, double from_rate, const StreamFormat& to) {
    if (from_rate != to.sample_rate) {
        AudioBuffer out(sound.channels(), 0);
        for (int c = 0; c < sound.channels(); ++c) {
            std::vector<float> row = resample(sound[c], from_rate, to.sample_rate);
            if (c == 0) out.resize(row.size());
            out[c] = std::move(row);
        }
        sound = std::move(out);
    }
    if (sound.channels() == to.channels) return sound;
    AudioBuffer out(to.channels, sound.frames());
    for (int c = 0; c < to.channels; ++c) {
        for (size_t i = 0; i < sound.frames(); ++i)
            out[c][i] = sound.channels() > to.channels ? 0.5f * (sound[0][i] + sound[1][i]) : sound[0][i];
    }
    return out;
}

Result<std::shared_ptr<Loop>> load_loop(const Take& take, double from, double to,
                                        const StreamFormat& format) {
    const double rate = take.info.sample_rate;
    const double most = kMostLoopSamples / take.info.channels / rate;
    const auto first = std::max<std::int64_t>(0, std::llround(from * rate));
    const auto count = std::llround(std::min(to - from, most) * rate);
    auto sound = read_sound_part(take.path, first, count);
    if (!sound.ok()) return sound.error();
    const AudioBuffer fit = fitted(std::move(sound.value()), rate, format);
    auto loop =
        std::make_shared<Loop>(Loop::of(fit, 0, static_cast<std::int64_t>(fit.frames()), format.sample_rate));
    loop->first = std::llround(from * format.sample_rate);
    return loop;
}

Result<ComparedLoops> compare_loops(const Side& a, const Side& b, const Loop& loop,
                                    const StreamFormat& format, const std::filesystem::path& other,
                                    const Progress& progress) {
    AudioBuffer against = loop.sound;
    if (!other.empty()) {
        SoundInfo info;
        const Take take = read_take(other);
        const double seconds = static_cast<double>(loop.sound.frames()) / format.sample_rate;
        auto sound = read_sound_part(other, 0, std::llround(seconds * take.info.sample_rate) + 1, &info);
        if (!sound.ok()) return sound.error();
        against = fitted(std::move(sound.value()), info.sample_rate, format);
        against.resize(loop.sound.frames());
    }
    auto compared = compare(a, twice(against), b, twice(loop.sound), format.sample_rate, true, progress);
    if (!compared.ok()) return compared.error();
    ComparedLoops out;
    out.figures = std::move(compared.value());
    out.pair = std::make_shared<LoopPair>(LoopPair{second_half(out.figures.a), second_half(out.figures.b)});
    out.figures.a = out.figures.b = {};
    return out;
}

}  // namespace reed
