#include "suppression/noise_profile.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/decibel.h"
#include "dsp/fourier.h"
#include "dsp/periodicity.h"
#include "dsp/resample.h"
#include "neural/voice_network.h"

namespace reed {
namespace {

constexpr double kApart = 9.0;         // dB above the usual level: no longer the room
constexpr double kShareLoud = 0.10;    // of the frames may be louder than that
constexpr double kShareSpeech = 0.05;  // of the frames may hold speech by the network's word
constexpr float kSurelySpeech = 0.7f;
constexpr double kClick = 12.0;      // dB above the usual level
constexpr double kMusicPiece = 0.2;  // s
constexpr double kMusicMoves = 3.0;  // dB from piece to piece, of its strongest bands
constexpr double kMusicRepeats = 0.6;
constexpr double kShareMusic = 0.25;     // of the pieces
constexpr double kShareOnlyMusic = 0.6;  // speech has pauses for breath

std::string seconds(double s) {
    char text[24];
    std::snprintf(text, sizeof text, "%.1f s", s);
    return text;
}

/// Second of the first stretch in which the network hears speech; below 0: none.
double speech_at(std::span<const float> sound, double rate) {
    auto network = make_voice_network();
    if (!network.ok()) return -1.0;  // judged by the levels alone
    const std::vector<float> x = resample({sound.begin(), sound.end()}, rate, VoiceNetwork::kRate);
    float gains[VoiceNetwork::kBands];
    size_t frames = 0;
    size_t spoken = 0;
    double first = -1.0;
    for (size_t at = 0; at + VoiceNetwork::kFrame <= x.size(); at += VoiceNetwork::kFrame) {
        float voice = 0.0f;
        if (!network.value()->judge(&x[at], gains, voice)) return -1.0;
        ++frames;
        if (at < VoiceNetwork::kRate / 4 || voice < kSurelySpeech) continue;  // it settles first
        ++spoken;
        if (first < 0.0) first = static_cast<double>(at) / VoiceNetwork::kRate;
    }
    return static_cast<double>(spoken) > kShareSpeech * static_cast<double>(frames) ? first : -1.0;
}

std::vector<double> means_of(const std::vector<std::vector<float>>& power, size_t first, size_t count) {
    std::vector<double> out(power[first].size(), 1e-20);
    for (size_t i = first; i < first + count; ++i) {
        for (size_t k = 0; k < out.size(); ++k) out[k] += power[i][k] / static_cast<double>(count);
    }
    return out;
}

struct Music {
    double first = 0.0;  // s
    double share = 0.0;  // of the time
};

/// What repeats itself like a hum, but in tones that change. Speech does too, between its consonants and
/// pauses.
Music find_music(std::span<const float> sound, double rate, const std::vector<std::vector<float>>& power) {
    Periodicity periodicity(rate);
    const auto piece = static_cast<size_t>(kMusicPiece * rate);
    const auto frames = static_cast<size_t>(kMusicPiece / 0.010);
    std::vector<double> before;
    size_t pieces = 0;
    size_t played = 0;
    Music out;
    for (size_t i = 0; (i + 1) * piece <= sound.size() && (i + 1) * frames <= power.size(); ++i, ++pieces) {
        periodicity.add(&sound[i * piece], static_cast<int>(piece));
        const auto now = means_of(power, i * frames, frames);
        // How far the strongest bands have moved since the piece before.
        double moved = 0.0;
        double weight = 0.0;
        for (size_t k = 1; !before.empty() && k < now.size(); ++k) {
            const double w = std::max(now[k], before[k]);
            moved += w * std::abs(10.0 * std::log10(now[k] / before[k]));
            weight += w;
        }
        before = now;
        if (weight <= 0.0 || moved / weight < kMusicMoves || periodicity.strength() < kMusicRepeats) continue;
        if (played++ == 0) out.first = static_cast<double>(i) * kMusicPiece;
    }
    out.share = static_cast<double>(played) / static_cast<double>(std::max<size_t>(pieces, 1));
    return out;
}

/// Second of the first click of two or more; below 0: there are fewer. A click is over within 60 ms.
double clicks_at(const std::vector<double>& level, double usual) {
    constexpr size_t kLongest = 6;
    size_t clicks = 0;
    double first = -1.0;
    for (size_t i = 0; i < level.size();) {
        if (level[i] <= usual + kClick) {
            ++i;
            continue;
        }
        size_t end = i;
        while (end < level.size() && level[end] > usual + 0.5 * kClick) ++end;
        if (end - i <= kLongest) {
            if (first < 0.0) first = 0.010 * static_cast<double>(i);
            ++clicks;
        }
        i = end;
    }
    return clicks >= 2 ? first : -1.0;
}

/// True when tenths of a second rise more than 3 dB above the usual level.
bool swells(const std::vector<double>& level) {
    std::vector<double> tenths;
    for (size_t i = 0; i + 10 <= level.size(); i += 5) {
        double sum = 0.0;
        for (size_t k = i; k < i + 10; ++k) sum += std::pow(10.0, 0.1 * level[k]);
        tenths.push_back(10.0 * std::log10(0.1 * sum));
    }
    std::sort(tenths.begin(), tenths.end());
    return tenths[tenths.size() * 95 / 100] > tenths[tenths.size() / 2] + 3.0;
}

}  // namespace

double NoiseProfile::level() const {
    double sum = 0.0;
    for (const float l : levels) sum += std::pow(10.0, 0.1 * l);
    return sum > 0.0 ? 10.0 * std::log10(sum) : kSilenceDb;
}

double NoiseProfile::density(double frequency) const {
    if (empty()) return 0.0;
    const double at = std::clamp(frequency / band_hz, 0.0, static_cast<double>(levels.size() - 1));
    const auto below = static_cast<size_t>(at);
    const size_t above = std::min(below + 1, levels.size() - 1);
    const double t = at - static_cast<double>(below);
    // AES17: a full-scale sine, mean square 1/2, is 0 dBFS.
    const double db = (1.0 - t) * levels[below] + t * levels[above];
    return 0.5 * std::pow(10.0, 0.1 * db) / band_hz;
}

Result<NoiseProfile> learn_noise_profile(std::span<const float> sound, double sample_rate) {
    const double length = static_cast<double>(sound.size()) / sample_rate;
    if (length < kLeastToneSeconds - 1e-6) {
        return Error{
            "The recording is only " + seconds(length) + " long; a noise profile needs at least 3 s.", "",
            "Stay silent a little longer."};
    }
    sound = sound.last(std::min(sound.size(), static_cast<size_t>(kMostToneSeconds * sample_rate)));
    const int window = 2 * static_cast<int>(std::lround(0.010 * sample_rate));
    const int hop = window / 2;
    Fourier fourier(window);
    const std::vector<float> shape = root_hann(window);
    std::vector<std::vector<float>> power;
    std::vector<double> level;
    for (size_t at = 0; at + static_cast<size_t>(window) <= sound.size(); at += static_cast<size_t>(hop)) {
        const auto frame = fourier.samples();
        double sum = 0.0;
        for (size_t i = 0; i < frame.size(); ++i) {
            frame[i] = sound[at + i] * shape[i];
            sum += static_cast<double>(frame[i]) * frame[i];
        }
        fourier.forward();
        std::vector<float> bins;
        for (const auto& y : fourier.spectrum()) bins.push_back(std::norm(y));
        power.push_back(std::move(bins));
        level.push_back(mean_square_to_dbfs(2.0 * sum / window));  // the window halves the mean square
    }
    std::vector<double> sorted = level;
    std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2),
                     sorted.end());
    const double usual = sorted[sorted.size() / 2];
    if (usual < -110.0) {
        return Error{"The recording is silent.", "",
                     "Check that the microphone is on. A silent room needs no suppression."};
    }
    const Music music = find_music(sound, sample_rate, power);
    const Error played{"There is music, or several voices, at " + seconds(music.first) +
                           "; it would become part of the noise profile.",
                       "", "Switch it off and start again."};
    if (music.share > kShareOnlyMusic) return played;
    // The network takes some machines for voices; but speech swells and fades, and they do not.
    const double at = swells(level) ? speech_at(sound, sample_rate) : -1.0;
    if (at >= 0.0) {
        return Error{"There is speech at " + seconds(at) + "; it would become part of the noise profile.", "",
                     "Start again and stay silent."};
    }
    if (const double click = clicks_at(level, usual); click >= 0.0) {
        return Error{"Short sounds, such as key clicks, a mouse or drops of water, start at " +
                         seconds(click) + "; they are not steady background noise.",
                     "", "Start again without them. If they never stop, use the adaptive method."};
    }
    if (music.share > kShareMusic) return played;
    size_t loud = 0;
    size_t first_loud = 0;
    for (size_t i = 0; i < level.size(); ++i) {
        if (level[i] <= usual + kApart) continue;
        if (loud++ == 0) first_loud = i;
    }
    if (static_cast<double>(loud) > kShareLoud * static_cast<double>(level.size())) {
        return Error{"The background noise changed: from " +
                         seconds(static_cast<double>(first_loud) * hop / sample_rate) +
                         " on there were sounds more than 9 dB above the rest.",
                     "", "Start again without them. For noise that always changes, use the adaptive method."};
    }
    NoiseProfile out;
    out.sample_rate = sample_rate;
    out.band_hz = sample_rate / window;
    std::vector<double> mean(power.front().size(), 0.0);
    double used = 0.0;
    for (size_t i = 0; i < power.size(); ++i) {
        if (level[i] > usual + 0.67 * kApart) continue;
        used += 1.0;
        for (size_t k = 0; k < mean.size(); ++k) mean[k] += power[i][k];
    }
    double shape_power = 0.0;
    for (const float w : shape) shape_power += static_cast<double>(w) * w;
    for (size_t k = 0; k < mean.size(); ++k) {
        // Parseval: the bins of one side, counted twice, add up to the mean square.
        const double sides = k == 0 || k + 1 == mean.size() ? 1.0 : 2.0;
        const double mean_square = sides * mean[k] / used / (window * shape_power);
        // In tenths of a decibel, as scenes keep it.
        const double level_db = std::max(kLowestToneLevel, mean_square_to_dbfs(mean_square));
        out.levels.push_back(static_cast<float>(std::round(10.0 * level_db) / 10.0));
    }
    return out;
}

std::optional<std::string> noise_profile_problem(const NoiseProfile& tone) {
    if (tone.levels.empty()) return std::nullopt;
    if (tone.levels.size() < 16 || tone.levels.size() > kMaxProfileBands)
        return "has " + std::to_string(tone.levels.size()) + " bands; 16 to 4096 can be used.";
    if (!(tone.sample_rate >= 8000.0 && tone.sample_rate <= 192000.0))
        return "its sample rate is outside 8000 to 192000 Hz.";
    if (!(tone.band_hz >= 1.0 && tone.band_hz <= 1000.0)) return "its bands are not 1 to 1000 Hz wide.";
    for (const float l : tone.levels) {
        if (!(l >= kLowestToneLevel && l <= 20.0)) return "a level is outside -160 to 20 dBFS.";
    }
    return std::nullopt;
}

}  // namespace reed
