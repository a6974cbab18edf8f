#include "measure/level_statistics.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "base/quantile.h"

namespace reed {
namespace {

constexpr int kSmooth = 5;      // frames of 10 ms in one level
constexpr int kGuard = 15;      // frames around speech that are neither room nor voice
constexpr double kApart = 9.0;  // dB between the means of room and voice, at least
constexpr double kLowestLevel = -120.0;
constexpr double kKnown = 0.8;  // share of the pieces that must be known to be sorted by it
// Quieter than any converter: a mute switch, a cable pulled out, zeros before a file begins. Neither room nor
// voice.
constexpr double kDigitalSilence = -110.0;

/// Power means over kSmooth frames, centred, in dBFS.
std::vector<float> smooth_levels(const std::vector<float>& mean_square) {
    const int n = static_cast<int>(mean_square.size());
    std::vector<float> out(mean_square.size());
    for (int i = 0; i < n; ++i) {
        const int first = std::max(0, i - kSmooth / 2);
        const int last = std::min(n - 1, i + kSmooth / 2);
        double sum = 0.0;
        for (int k = first; k <= last; ++k) sum += mean_square[static_cast<size_t>(k)];
        out[static_cast<size_t>(i)] = static_cast<float>(mean_square_to_dbfs(sum / (last - first + 1)));
    }
    return out;
}

/// Pieces whose level was taken over digital silence, wholly or in part.
std::vector<bool> touched_by_silence(const std::vector<float>& mean_square) {
    static const auto kNothing = static_cast<float>(dbfs_to_mean_square(kDigitalSilence));
    const int n = static_cast<int>(mean_square.size());
    std::vector<bool> out(mean_square.size(), false);
    for (int i = 0; i < n; ++i) {
        if (mean_square[static_cast<size_t>(i)] >= kNothing) continue;
        for (int k = std::max(0, i - kSmooth / 2); k <= std::min(n - 1, i + kSmooth / 2); ++k)
            out[static_cast<size_t>(k)] = true;
    }
    return out;
}

/// The levels of the pieces that are no digital silence.
std::vector<float> heard_levels(const std::vector<float>& mean_square) {
    const std::vector<float> levels = smooth_levels(mean_square);
    const std::vector<bool> silent = touched_by_silence(mean_square);
    std::vector<float> out;
    for (size_t i = 0; i < levels.size(); ++i) {
        if (!silent[i]) out.push_back(levels[i]);
    }
    return out;
}

struct Split {
    double threshold = 0.0, lower_mean = 0.0, upper_mean = 0.0;
};

/// Otsu's threshold on half-decibel bins from -120 to +20 dBFS.
Split otsu(const std::vector<float>& levels) {
    constexpr int kBins = 280;
    std::vector<double> count(kBins, 0.0);
    for (const float l : levels) {
        const double at = (std::max<double>(l, kLowestLevel) - kLowestLevel) * 2.0;
        count[static_cast<size_t>(std::clamp(static_cast<int>(at), 0, kBins - 1))] += 1.0;
    }
    double total = 0.0;
    double moment = 0.0;
    for (int b = 0; b < kBins; ++b) {
        total += count[static_cast<size_t>(b)];
        moment += count[static_cast<size_t>(b)] * b;
    }
    Split best;
    double best_variance = -1.0;
    double below = 0.0;
    double below_moment = 0.0;
    for (int b = 0; b < kBins - 1; ++b) {
        below += count[static_cast<size_t>(b)];
        below_moment += count[static_cast<size_t>(b)] * b;
        if (below == 0.0 || below == total) continue;
        const double lower = below_moment / below;
        const double upper = (moment - below_moment) / (total - below);
        const double variance = below * (total - below) * (upper - lower) * (upper - lower);
        if (variance <= best_variance) continue;
        best_variance = variance;
        best = {kLowestLevel + 0.5 * (b + 1), kLowestLevel + 0.5 * (lower + 0.5),
                kLowestLevel + 0.5 * (upper + 0.5)};
    }
    if (best_variance < 0.0) {  // all in one bin
        const double mean = total > 0.0 ? kLowestLevel + 0.5 * (moment / total + 0.5) : kLowestLevel;
        best = {mean, mean, mean};
    }
    return best;
}

}  // namespace

double LevelDistribution::smoothed(const std::vector<float>& shares, size_t bin) {
    const double below = shares[bin > 0 ? bin - 1 : bin];
    const double above = shares[bin + 1 < shares.size() ? bin + 1 : bin];
    return 0.25 * below + 0.5 * shares[bin] + 0.25 * above;
}

std::function<bool(size_t, size_t)> mostly(FrameClass which, const std::vector<FrameClass>& classes,
                                           double sample_rate) {
    const auto frame = static_cast<size_t>(std::lround(kTapFrameSeconds * sample_rate));
    return [which, &classes, frame](size_t from, size_t to) {
        const size_t first = std::min(classes.size(), from / frame);
        const size_t end = std::min(classes.size(), to / frame);
        const auto count = std::count(classes.begin() + static_cast<std::ptrdiff_t>(first),
                                      classes.begin() + static_cast<std::ptrdiff_t>(end), which);
        return 2 * static_cast<size_t>(count) > end - first;
    };
}

std::optional<double> room_level(const std::vector<float>& mean_square,
                                 const std::vector<FrameClass>& classes) {
    const std::vector<float> levels = smooth_levels(mean_square);
    std::vector<float> room;
    for (size_t i = 0; i < levels.size(); ++i) {
        if (classes[i] == FrameClass::room) room.push_back(levels[i]);
    }
    if (room.empty()) return std::nullopt;
    return quantile(room, 0.50);
}

std::vector<FrameClass> classify_by_level(const std::vector<float>& mean_square, double voice_floor) {
    std::vector<FrameClass> out(mean_square.size(), FrameClass::room);
    if (mean_square.empty()) return out;
    const std::vector<float> levels = smooth_levels(mean_square);
    const std::vector<bool> silent = touched_by_silence(mean_square);
    for (size_t i = 0; i < out.size(); ++i) {
        if (silent[i]) out[i] = FrameClass::between;
    }
    const Split split = otsu(heard_levels(mean_square));
    double threshold = split.threshold;
    if (split.upper_mean - split.lower_mean < kApart) {
        if (voice_floor >= 0.0 || split.lower_mean < voice_floor) return out;  // all room
        threshold = voice_floor;
    }
    const int n = static_cast<int>(levels.size());
    for (int i = 0; i < n; ++i) {
        const auto at = static_cast<size_t>(i);
        if (!silent[at] && levels[at] >= threshold) out[at] = FrameClass::voice;
    }
    int last_voice = -kGuard - 1;
    const auto guard = [&](int i) {
        auto& c = out[static_cast<size_t>(i)];
        if (c == FrameClass::voice) last_voice = i;
        if (c == FrameClass::room && std::abs(i - last_voice) <= kGuard) c = FrameClass::between;
    };
    for (int i = 0; i < n; ++i) guard(i);
    last_voice = n + kGuard;
    for (int i = n - 1; i >= 0; --i) guard(i);
    return out;
}

namespace {

/// Pieces in the middle of four seconds whose level hardly moves (less than 1.5 dB, standard deviation): no
/// talk is as steady, a machine with a hum of its own is. The 4 s and 1.5 dB are our choice.
std::vector<bool> in_steady_sound(const std::vector<float>& levels) {
    constexpr int kHalf = 200;
    constexpr double kSteady = 1.5;
    const int n = static_cast<int>(levels.size());
    std::vector<double> sum(levels.size() + 1, 0.0);
    std::vector<double> square(levels.size() + 1, 0.0);
    for (size_t i = 0; i < levels.size(); ++i) {
        const double level = std::max<double>(levels[i], kLowestLevel);
        sum[i + 1] = sum[i] + level;
        square[i + 1] = square[i] + level * level;
    }
    std::vector<bool> out(levels.size(), false);
    for (int i = 0; i < n; ++i) {
        const auto first = static_cast<size_t>(std::max(0, i - kHalf));
        const auto last = static_cast<size_t>(std::min(n, i + kHalf + 1));
        const auto count = static_cast<double>(last - first);
        if (count < kHalf) continue;
        const double mean = (sum[last] - sum[first]) / count;
        const double variance = (square[last] - square[first]) / count - mean * mean;
        out[static_cast<size_t>(i)] = variance < kSteady * kSteady;
    }
    return out;
}

}  // namespace

std::vector<FrameClass> classify_by_speech(const std::vector<float>& mean_square,
                                           const std::vector<float>& voice) {
    constexpr float kSpeech = 0.5f;
    constexpr int kNear = 10;
    constexpr int kFar = 20;
    constexpr int kShort = 50;
    const int n = static_cast<int>(mean_square.size());
    const std::vector<float> levels = smooth_levels(mean_square);
    const std::vector<bool> silent = touched_by_silence(mean_square);
    const std::vector<bool> steady = in_steady_sound(levels);
    // Shorter than a tenth of a second is a mistake (a click of a key): speech lasts.
    constexpr size_t kLasts = 10;
    std::vector<bool> spoken(voice.size(), false);
    for (size_t i = 0; i < voice.size();) {
        size_t end = i;
        while (end < voice.size() && !steady[end] && voice[end] >= kSpeech) ++end;
        if (end - i >= kLasts)
            std::fill(spoken.begin() + static_cast<long>(i), spoken.begin() + static_cast<long>(end), true);
        i = std::max(end, i + 1);
    }
    const auto speech = [&](int i) { return spoken[static_cast<size_t>(i)]; };
    // Distance to the nearest speech on either side.
    std::vector<int> away(mean_square.size(), n);
    for (int i = 0, last = -n; i < n; ++i) {
        if (speech(i)) last = i;
        away[static_cast<size_t>(i)] = i - last;
    }
    for (int i = n - 1, next = 2 * n; i >= 0; --i) {
        if (speech(i)) next = i;
        auto& a = away[static_cast<size_t>(i)];
        a = std::min(a, next - i);
    }
    std::vector<FrameClass> out(mean_square.size(), FrameClass::between);
    std::vector<float> room;
    for (size_t i = 0; i < out.size(); ++i) {
        if (silent[i] || voice[i] < 0.0f || away[i] <= kFar) continue;
        out[i] = FrameClass::room;
        room.push_back(levels[i]);
    }
    const double usual = room.empty() ? kLowestLevel : quantile(room, 0.5);
    for (size_t i = 0; i < out.size(); ++i) {
        if (!silent[i] &&
            (away[i] == 0 || (away[i] <= kNear && !room.empty() && levels[i] >= usual + kApart)))
            out[i] = FrameClass::voice;
    }
    // Short loud sounds in pauses.
    for (size_t i = 0; i < out.size();) {
        size_t end = i;
        while (end < out.size() && out[end] == FrameClass::room && levels[end] >= usual + kApart) ++end;
        if (end > i && end - i < kShort)
            std::fill(out.begin() + static_cast<long>(i), out.begin() + static_cast<long>(end),
                      FrameClass::between);
        i = std::max(end, i + 1);
    }
    return out;
}

LevelStatistics::LevelStatistics(size_t taps, double window_seconds)
    : rows_(std::max<size_t>(taps, 1)), window_seconds_(window_seconds) {}

void LevelStatistics::set_window(double seconds) {
    window_seconds_ = std::clamp(seconds, 1.0, 3600.0);
    for (auto& row : rows_) trim(row);
}

void LevelStatistics::clear() {
    for (auto& row : rows_) row.frames.clear();
    voice_floor_ = 0.0;
}

void LevelStatistics::trim(Row& row) const {
    const auto most = static_cast<size_t>(std::max(window_seconds_, kLeastKept) / kTapFrameSeconds);
    while (row.frames.size() > most) row.frames.pop_front();
}

void LevelStatistics::push(const TapFrame& frame) {
    if (frame.tap < 0 || static_cast<size_t>(frame.tap) >= rows_.size()) return;
    Row& row = rows_[static_cast<size_t>(frame.tap)];
    // After a gap (the queue was full) or a restart, frames of different times would be paired: start again.
    if (!row.frames.empty() && frame.index != row.frames.back().index + 1) {
        for (auto& r : rows_) r.frames.clear();
    }
    row.frames.push_back(frame);
    trim(row);
}

void LevelStatistics::fill_tap(size_t tap, const std::vector<FrameClass>& classes, size_t length,
                               TapLevels& out) const {
    const auto& frames = rows_[tap].frames;
    // Frames with index first..first+length-1 stand at the front of every row or a little behind it.
    const std::int64_t first = first_index();
    float peak = 0.0f;
    for (const auto& f : frames) {
        const std::int64_t i = f.index - first;
        if (i >= 0 && i < static_cast<std::int64_t>(length)) peak = std::max(peak, f.peak);
    }
    const std::vector<float> levels = smooth_levels(powers(tap, length));
    std::vector<float> room;
    std::vector<float> voice;
    for (size_t i = 0; i < length; ++i) {
        if (classes[i] == FrameClass::voice) voice.push_back(levels[i]);
        if (classes[i] == FrameClass::room) room.push_back(levels[i]);
    }
    out.peak = gain_to_db(peak);
    if (!room.empty()) {
        out.room_known = true;
        out.room = quantile(room, 0.50);
        out.room_high = quantile(room, 0.95);
    }
    if (!voice.empty()) {
        out.voice_known = true;
        out.voice_low = quantile(voice, 0.10);
        out.voice = quantile(voice, 0.50);
        out.voice_high = quantile(voice, 0.90);
    }
    fill_now(tap, out);
}

void LevelStatistics::fill_now(size_t tap, TapLevels& out) const {
    const auto& frames = rows_[tap].frames;
    double newest = 0.0;
    float newest_peak = 0.0f;
    const size_t recent = std::min<size_t>(kSmooth, frames.size());
    for (size_t i = frames.size() - recent; i < frames.size(); ++i) {
        newest += frames[i].mean_square;
        newest_peak = std::max(newest_peak, frames[i].peak);
    }
    if (recent > 0) {
        out.now = mean_square_to_dbfs(newest / static_cast<double>(recent));
        out.now_peak = gain_to_db(newest_peak);
    }
}

void LevelStatistics::update_now(LevelReport& report) const {
    if (report.taps.size() != rows_.size()) return;
    for (size_t t = 0; t < rows_.size(); ++t) {
        if (rows_[t].frames.empty()) continue;
        fill_now(t, report.taps[t]);
        if (t > 0) report.stages[t - 1].now = rows_[t].frames.back().reduction_db;
    }
}

std::int64_t LevelStatistics::first_index() const {
    const auto& frames = rows_[0].frames;
    const auto most = static_cast<std::int64_t>(window_seconds_ / kTapFrameSeconds);
    return std::max(frames.front().index, frames.back().index + 1 - most);
}

size_t LevelStatistics::shared_length() const {
    // The input is ahead of the later taps by their delay; all are judged over the stretch they share.
    std::int64_t last = rows_[0].frames.back().index;
    for (const auto& row : rows_) {
        if (row.frames.empty()) return 0;
        last = std::min(last, row.frames.back().index);
    }
    return static_cast<size_t>(std::max<std::int64_t>(0, last - first_index() + 1));
}

std::vector<float> LevelStatistics::powers(size_t tap, size_t length) const {
    const std::int64_t first = first_index();
    std::vector<float> out(length, 0.0f);
    for (const auto& f : rows_[tap].frames) {
        const std::int64_t i = f.index - first;
        if (i >= 0 && i < static_cast<std::int64_t>(length)) out[static_cast<size_t>(i)] = f.mean_square;
    }
    return out;
}

std::vector<FrameClass> LevelStatistics::classes(size_t length) const {
    // The last tap knows what any stage before it knows; else the input's frames may tell.
    for (const Row* row : {&rows_.back(), &rows_.front()}) {
        std::vector<float> voice(length, -1.0f);
        for (const auto& f : row->frames) {
            const std::int64_t i = f.index - first_index();
            if (i >= 0 && i < static_cast<std::int64_t>(length)) voice[static_cast<size_t>(i)] = f.voice;
        }
        const auto known = std::count_if(voice.begin(), voice.end(), [](float v) { return v >= 0.0f; });
        if (static_cast<double>(known) >= kKnown * static_cast<double>(length))
            return classify_by_speech(powers(0, length), voice);
    }
    return classify_by_level(powers(0, length), voice_floor_);
}

LevelDistribution LevelStatistics::distribution(size_t tap) const {
    LevelDistribution out;
    const size_t length = rows_[0].frames.empty() || tap >= rows_.size() ? 0 : shared_length();
    if (length == 0) return out;
    const auto kinds = classes(length);
    const auto levels = smooth_levels(powers(tap, length));
    out.room.assign(LevelDistribution::kBins, 0.0f);
    out.voice = out.room;
    const float share = 1.0f / static_cast<float>(length);
    for (size_t i = 0; i < length; ++i) {
        if (kinds[i] == FrameClass::between) continue;
        const int bin = static_cast<int>(std::floor(levels[i])) - LevelDistribution::kLowestBin;
        auto& to = kinds[i] == FrameClass::voice ? out.voice : out.room;
        to[static_cast<size_t>(std::clamp(bin, 0, LevelDistribution::kBins - 1))] += share;
    }
    return out;
}

std::vector<TruncatedWord> LevelStatistics::truncated_words(size_t stage) const {
    constexpr size_t kBeginning = 6;
    constexpr size_t kEnding = 15;
    constexpr double kLost = 3.0;
    std::vector<TruncatedWord> out;
    const size_t length = rows_[0].frames.empty() || stage + 1 >= rows_.size() ? 0 : shared_length();
    if (length == 0) return out;
    const auto kinds = classes(length);
    const auto in = powers(stage, length);
    const auto after = powers(stage + 1, length);
    const std::int64_t first = first_index();
    const auto lost = [&](size_t from, size_t to) {
        double a = 1e-15;
        double b = 1e-15;
        for (size_t i = from; i < to; ++i) {
            a += in[i];
            b += after[i];
        }
        return 10.0 * std::log10(a / b);
    };
    for (size_t i = 0; i < length;) {
        if (kinds[i] != FrameClass::voice) {
            ++i;
            continue;
        }
        size_t end = i;
        while (end < length && kinds[end] == FrameClass::voice) ++end;
        // Words cut by the edges of the window say nothing; short ones have no middle.
        if (i > 0 && end < length && end - i >= kBeginning + kEnding + 5) {
            const double middle = lost(i + kBeginning, end - kEnding);
            const double start = lost(i, i + kBeginning) - middle;
            const double stop = lost(end - kEnding, end) - middle;
            if (start >= kLost) out.push_back({first + static_cast<std::int64_t>(i), true, start});
            if (stop >= kLost) out.push_back({first + static_cast<std::int64_t>(end), false, stop});
        }
        i = end;
    }
    return out;
}

LevelReport LevelStatistics::report() const {
    LevelReport out;
    out.taps.resize(rows_.size());
    out.stages.resize(rows_.size() - 1);
    for (auto& t : out.taps) {
        t.room = t.room_high = t.voice_low = t.voice = t.voice_high = t.peak = t.now = t.now_peak =
            kSilenceDb;
    }
    if (rows_[0].frames.empty()) return out;
    const size_t length = shared_length();
    if (length == 0) return out;
    out.seconds = static_cast<double>(length) * kTapFrameSeconds;

    const std::vector<FrameClass> classes = this->classes(length);
    const bool both = std::count(classes.begin(), classes.end(), FrameClass::voice) > 0 &&
                      std::count(classes.begin(), classes.end(), FrameClass::room) > 0;
    if (both) voice_floor_ = std::min(otsu(heard_levels(powers(0, length))).threshold, -1.0);
    out.speaking = classes.back() == FrameClass::voice;

    for (size_t t = 0; t < rows_.size(); ++t) {
        fill_tap(t, classes, length, out.taps[t]);
        if (t == 0) continue;
        auto& reduction = out.stages[t - 1];
        std::vector<float> speaking;
        const std::int64_t first = first_index();
        size_t untouched = 0;
        for (const auto& f : rows_[t].frames) {
            const std::int64_t i = f.index - first;
            if (i < 0 || i >= static_cast<std::int64_t>(length)) continue;
            untouched += f.reduction_db < 1.0f ? 1 : 0;
            reduction.load += f.busy;
            reduction.worst_load = std::max<double>(reduction.worst_load, f.busy);
            reduction.deepest = std::max<double>(reduction.deepest, f.reduction_db);
            if (classes[static_cast<size_t>(i)] == FrameClass::voice) speaking.push_back(f.reduction_db);
        }
        reduction.now = rows_[t].frames.back().reduction_db;
        reduction.open = static_cast<double>(untouched) / static_cast<double>(length);
        reduction.load /= static_cast<double>(length);
        if (!speaking.empty()) reduction.usual = quantile(speaking, 0.5);
    }
    return out;
}

}  // namespace reed
