#include "soundcheck/step_sound.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "base/quantile.h"
#include "chain/chain.h"
#include "measure/voice_detector.h"

namespace reed {
namespace {

constexpr SoundcheckStep kOrder[] = {SoundcheckStep::silence, SoundcheckStep::quiet, SoundcheckStep::talk,
                                     SoundcheckStep::loud, SoundcheckStep::noises};
constexpr size_t kSmooth = 5;    // frames of 10 ms in one level
constexpr size_t kSettle = 100;  // frames of silence that a suppression may need to learn
constexpr double kClear = 8.0;   // dB above the noise: speech that may be judged
constexpr size_t kPiece = 10;    // frames
constexpr size_t kWordBegin = 6, kWordEnd = 15, kLeastWord = 25;  // frames
constexpr double kTruncated = 3.0, kCut = 6.0;                    // dB

/// Of a copy; silence for no values.
double quantile_of(std::vector<double> values, double share) {
    return values.empty() ? kSilenceDb : quantile(values, share);
}

std::vector<double> smooth(const std::vector<float>& mean_square) {
    std::vector<double> out(mean_square.size());
    for (size_t i = 0; i < out.size(); ++i) {
        const size_t first = i > kSmooth / 2 ? i - kSmooth / 2 : 0;
        const size_t last = std::min(out.size(), i + kSmooth / 2 + 1);
        double sum = 0.0;
        for (size_t k = first; k < last; ++k) sum += static_cast<double>(mean_square[k]);
        out[i] = mean_square_to_dbfs(sum / static_cast<double>(last - first));
    }
    return out;
}

double sum_of(const std::vector<float>& x, size_t first, size_t count) {
    double sum = 0.0;
    for (size_t i = first; i < std::min(first + count, x.size()); ++i) sum += static_cast<double>(x[i]);
    return sum;
}

/// dB that `after` lies below `before` there.
double lost(const std::vector<float>& before, const std::vector<float>& after, size_t first, size_t count) {
    return 10.0 * std::log10((sum_of(before, first, count) + 1e-15) / (sum_of(after, first, count) + 1e-15));
}

}  // namespace

Result<ChainRun> run_chain(const ChainSpec& spec, const AudioBuffer& sound, double sample_rate) {
    auto built = Chain::build(spec, {sample_rate, sound.channels()});
    if (!built.ok()) return built.error();
    Chain& chain = *built.value();
    TapQueue queue(4096);
    chain.set_tap_queue(&queue);
    ChainRun out;
    out.latency = chain.latency();
    const auto latency = static_cast<size_t>(out.latency);
    const auto frame = static_cast<size_t>(std::lround(kTapFrameSeconds * sample_rate));
    const size_t frames = sound.frames() / frame;
    out.taps.resize(spec.stages.size() + 1);
    out.reduction.resize(spec.stages.size());
    for (FrameLevels& tap : out.taps) {
        tap.mean_square.resize(frames);
        tap.peak.resize(frames);
    }
    for (auto& row : out.reduction) row.resize(frames);
    // The end of the sound still has to come out of every stage, and every tap's last frame with it.
    AudioBuffer work = sound;
    work.resize(sound.frames() + latency + frame);
    constexpr size_t kBlock = 1024;
    for (size_t done = 0; done < work.frames(); done += kBlock) {
        chain.process(work.block(done, static_cast<int>(std::min(kBlock, work.frames() - done))));
        for (TapFrame f; queue.try_dequeue(f);) {
            const auto at = static_cast<size_t>(f.index);
            const auto tap = static_cast<size_t>(f.tap);
            if (f.index < 0 || at >= frames) continue;
            out.taps[tap].mean_square[at] = f.mean_square;
            out.taps[tap].peak[at] = f.peak;
            if (tap > 0) out.reduction[tap - 1][at] = f.reduction_db;
        }
    }
    out.out = AudioBuffer(sound.channels(), sound.frames());
    for (int c = 0; c < sound.channels(); ++c)
        std::copy_n(work[c].begin() + static_cast<std::ptrdiff_t>(latency), sound.frames(),
                    out.out[c].begin());
    return out;
}

Result<StepSound> StepSound::join(const StepRecordings& recorded, const Progress& progress) {
    const auto usable = usable_steps(recorded);
    if (!usable.ok()) return usable.error();
    const StepRecordings& steps = usable.value();
    StepSound out;
    out.rate_ = steps.sample_rate;
    out.frame_ = static_cast<size_t>(std::lround(kTapFrameSeconds * steps.sample_rate));
    const auto most = static_cast<size_t>(kMaxStepSeconds / kTapFrameSeconds);
    size_t frames = 0;
    int channels = 1;
    for (const SoundcheckStep step : kOrder) {
        const size_t count = std::min(most, steps[step].frames() / out.frame_);
        out.ranges_[static_cast<size_t>(step)] = {frames, count};
        frames += count;
        if (count > 0) channels = std::max(channels, steps[step].channels());
    }
    out.sound_ = AudioBuffer(channels, frames * out.frame_);
    for (const SoundcheckStep step : kOrder) {
        const auto [first, count] = out.range(step);
        for (int c = 0; c < channels && count > 0; ++c) {
            const auto& from = steps[step][std::min(c, steps[step].channels() - 1)];
            std::copy_n(from.begin(), count * out.frame_,
                        out.sound_[c].begin() + static_cast<std::ptrdiff_t>(first * out.frame_));
        }
    }
    auto run = run_chain({}, out.sound_, out.rate_);
    if (!run.ok()) return run.error();
    out.input_ = std::move(run.value().taps[0]);
    VoiceDetector detector(out.rate_);
    std::vector<float> voice(frames);
    const std::vector<float> mono = mono_of(out.sound_);
    constexpr size_t kOnTheWay = 12;  // frames that the detector still works on
    for (size_t i = 0; i < frames + kOnTheWay; ++i) {
        if (i < frames) detector.add(&mono[i * out.frame_], static_cast<int>(out.frame_));
        if (i >= kOnTheWay) {
            const size_t at = i - kOnTheWay;
            voice[at] = detector.at(static_cast<std::int64_t>(at * out.frame_));
        }
        if (progress && i % 100 == 0 && !progress(static_cast<double>(i) / static_cast<double>(frames)))
            return cancelled("");
    }
    out.classes_ = classify_by_speech(out.input_.mean_square, voice);
    out.classes_.resize(frames, FrameClass::between);
    // Two of the steps are without speech.
    const auto [silence, silent] = out.range(SoundcheckStep::silence);
    std::fill_n(out.classes_.begin() + static_cast<std::ptrdiff_t>(silence), silent, FrameClass::room);
    const auto [noises, noisy] = out.range(SoundcheckStep::noises);
    std::fill_n(out.classes_.begin() + static_cast<std::ptrdiff_t>(noises), noisy, FrameClass::between);
    return out;
}

std::vector<FrameClass> StepSound::classes(SoundcheckStep step) const {
    const auto [first, count] = range(step);
    const auto begin = classes_.begin() + static_cast<std::ptrdiff_t>(first);
    return {begin, begin + static_cast<std::ptrdiff_t>(count)};
}

AudioBuffer StepSound::part(const AudioBuffer& at, SoundcheckStep step) const {
    const auto [first, count] = range(step);
    AudioBuffer out(at.channels(), count * frame_);
    for (int c = 0; c < at.channels(); ++c)
        std::copy_n(at[c].begin() + static_cast<std::ptrdiff_t>(first * frame_), count * frame_,
                    out[c].begin());
    return out;
}

SectionLevels StepSound::levels(const FrameLevels& at) const {
    const std::vector<double> level = smooth(at.mean_square);
    const auto collect = [&](SoundcheckStep step, auto which) {
        std::vector<double> out;
        const auto [first, count] = range(step);
        const size_t skip = step == SoundcheckStep::silence ? std::min(kSettle, count / 2) : 0;
        for (size_t i = first + skip; i < first + count; ++i) {
            if (which(classes_[i])) out.push_back(level[i]);
        }
        return out;
    };
    const auto is = [](FrameClass kind) { return [kind](FrameClass c) { return c == kind; }; };
    SectionLevels out;
    std::vector<double> noise = collect(SoundcheckStep::silence, is(FrameClass::room));
    const std::vector<double> pauses = collect(SoundcheckStep::talk, is(FrameClass::room));
    noise.insert(noise.end(), pauses.begin(), pauses.end());
    out.noise = quantile_of(noise, 0.50);
    out.noise_high = quantile_of(noise, 0.95);
    const std::vector<double> talk = collect(SoundcheckStep::talk, is(FrameClass::voice));
    out.typical = quantile_of(talk, 0.50);
    out.loud = quantile_of(talk, 0.90);
    const std::vector<double> quiet = collect(SoundcheckStep::quiet, is(FrameClass::voice));
    out.quiet = quantile_of(quiet.size() > kLeastWord ? quiet : talk, 0.10);
    if (has(SoundcheckStep::noises))
        out.noises = quantile_of(collect(SoundcheckStep::noises, [](FrameClass) { return true; }), 0.98);
    out.talk_peak = kSilenceDb;
    out.peak = kSilenceDb;
    const auto [first, count] = range(SoundcheckStep::talk);
    for (size_t i = 0; i < at.peak.size(); ++i) {
        const double peak = gain_to_db(static_cast<double>(at.peak[i]));
        out.peak = std::max(out.peak, peak);
        if (i >= first && i < first + count) out.talk_peak = std::max(out.talk_peak, peak);
    }
    return out;
}

double StepSound::median_in_speech(SoundcheckStep step, const std::vector<float>& per_frame) const {
    const auto [first, count] = range(step);
    std::vector<double> values;
    for (size_t i = first; i < std::min(first + count, per_frame.size()); ++i) {
        if (classes_[i] == FrameClass::voice) values.push_back(static_cast<double>(per_frame[i]));
    }
    return values.empty() ? 0.0 : quantile_of(values, 0.50);
}

SpeechLoss StepSound::loss(const FrameLevels& before, const FrameLevels& after) const {
    const std::vector<float>& in = before.mean_square;
    const std::vector<float>& out = after.mean_square;
    const double noise = levels(before).noise;
    const double clear = dbfs_to_mean_square(noise + kClear);
    SpeechLoss result;
    // What speech loses in general: of its louder half, which nothing should take for noise.
    std::vector<double> general;
    for (const SoundcheckStep step : {SoundcheckStep::talk, SoundcheckStep::quiet}) {
        const auto [first, count] = range(step);
        std::vector<double> powers;
        for (size_t i = first; i < first + count; ++i) {
            if (classes_[i] == FrameClass::voice) powers.push_back(static_cast<double>(in[i]));
        }
        const double middle = powers.empty() ? 0.0 : quantile_of(powers, 0.5);
        for (size_t i = first; i < first + count; ++i) {
            if (classes_[i] == FrameClass::voice && static_cast<double>(in[i]) > middle)
                general.push_back(lost(in, out, i, 1));
        }
        const double typical = quantile_of(general, 0.5);
        for (size_t i = first; i + kPiece <= first + count; i += kPiece) {
            const auto voiced =
                std::count(classes_.begin() + static_cast<std::ptrdiff_t>(i),
                           classes_.begin() + static_cast<std::ptrdiff_t>(i + kPiece), FrameClass::voice);
            if (static_cast<size_t>(voiced) < kPiece || sum_of(in, i, kPiece) < clear * kPiece) continue;
            ++result.pieces;
            const double more = lost(in, out, i, kPiece) - typical;
            result.deepest = std::max(result.deepest, more);
            if (more > kCut) ++result.cut;
        }
        general.clear();
        for (size_t i = first; i < first + count;) {
            size_t end = i;
            while (end < first + count && classes_[end] == FrameClass::voice) ++end;
            if (end - i >= kLeastWord) {
                const double middle_lost = lost(in, out, i + kWordBegin, end - i - kWordBegin - kWordEnd);
                const auto truncated = [&](size_t at, size_t n) {
                    return sum_of(in, at, n) > clear * static_cast<double>(n) &&
                           lost(in, out, at, n) > middle_lost + kTruncated;
                };
                ++result.words;
                if (truncated(i, kWordBegin) || truncated(end - kWordEnd, kWordEnd)) ++result.truncated;
            }
            i = std::max(end, i + 1);
        }
    }
    return result;
}

}  // namespace reed
