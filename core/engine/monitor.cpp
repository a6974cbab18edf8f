#include "engine/monitor.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"

namespace reed {
namespace {

constexpr float kToneStep = 0.1f;  // dB per grain

constexpr Parameter kTable[] = {
    parameter::number("volume", "Volume", Unit::decibel, -60.0, 12.0, 0.0, Scale::linear,
                      "Headphones only; the output level is unchanged."),
    parameter::number("bass", "Bass", Unit::decibel, -12.0, 12.0, 0.0, Scale::linear,
                      "Below 200 Hz, in the headphones only."),
    parameter::number("middle", "Mid", Unit::decibel, -12.0, 12.0, 0.0, Scale::linear,
                      "About 1 kHz, in the headphones only."),
    parameter::number("treble", "Treble", Unit::decibel, -12.0, 12.0, 0.0, Scale::linear,
                      "Above 4 kHz, in the headphones only."),
    parameter::toggle("mutes", "Mute with output", false,
                      "Mutes the headphones with the output, so you notice that you are muted."),
};

Sections tone_section(int band, double gain_db, double rate) {
    BandSettings b;
    constexpr FilterType kTypes[] = {FilterType::low_shelf, FilterType::bell, FilterType::high_shelf};
    constexpr double kFrequencies[] = {200.0, 1000.0, 4000.0};
    b.type = kTypes[band];
    b.frequency = kFrequencies[band];
    b.gain_db = gain_db;
    b.q = 0.7;
    return design(b, rate);
}

}  // namespace

std::span<const Parameter> monitor_parameters() {
    return kTable;
}

double monitor_value(const MonitorSettings& s, int row) {
    const double values[] = {s.volume_db, s.bass_db, s.middle_db, s.treble_db, s.mute_with_feed ? 1.0 : 0.0};
    return values[row];
}

void set_monitor_value(MonitorSettings& s, int row, double value) {
    if (row == kMonitorMutes) {
        s.mute_with_feed = value >= 0.5;
        return;
    }
    if (!std::isfinite(value)) return;
    double* const values[] = {&s.volume_db, &s.bass_db, &s.middle_db, &s.treble_db};
    *values[row] = std::clamp(value, kTable[row].minimum, kTable[row].maximum);
}

void Monitor::prepare(const StreamFormat& format, int longest_block) {
    format_ = format;
    buffer_ = AudioBuffer(format.channels, static_cast<size_t>(longest_block));
    for (AudioBuffer* b : {&fresh_, &scratch_, &fresh_scratch_})
        *b = AudioBuffer(format.channels, static_cast<size_t>(longest_block));
    sound_ = {};
    active_ = MonitorSource::off;
    open_.prepare(format.sample_rate, 0.004, 0.0);
    volume_.prepare(format.sample_rate, 0.010, db_to_gain(wanted_[0].load()));
    for (int b = 0; b < 3; ++b) {
        tone_[static_cast<size_t>(b)] = wanted_[static_cast<size_t>(b) + 1].load();
        filters_[static_cast<size_t>(b)].snap(
            tone_section(b, tone_[static_cast<size_t>(b)], format.sample_rate));
        filters_[static_cast<size_t>(b)].reset();
    }
    in_grain_ = 0;
}

void Monitor::set(const MonitorSettings& s) {
    for (int row = kMonitorVolume; row <= kMonitorTreble; ++row) {
        if (!std::isfinite(monitor_value(s, row))) continue;
        const double value = std::clamp(monitor_value(s, row), kTable[row].minimum, kTable[row].maximum);
        wanted_[static_cast<size_t>(row)] = static_cast<float>(value);
    }
    mute_with_feed_ = s.mute_with_feed;
    tap_ = s.tap;
    source_ = static_cast<int>(s.source);
}

void Monitor::choose() {
    const auto source = static_cast<MonitorSource>(source_.load(std::memory_order_relaxed));
    const int tap = tap_.load(std::memory_order_relaxed);
    if (source == active_ && (source != MonitorSource::tap || tap == active_tap_)) return;
    // What sounds is faded out first.
    if (active_ != MonitorSource::off && open_.sub_block_value() > 0.0) return;
    active_ = source;
    active_tap_ = tap;
}

Listener Monitor::listener(const AudioBlock& block) {
    choose();
    Listener out;
    if (active_ != MonitorSource::plain && active_ != MonitorSource::tap) return out;
    out.tap = active_ == MonitorSource::plain ? 0 : active_tap_;
    out.out = buffer_.block(0, block.frames);
    for (int c = 0; c < out.out.channels; ++c) std::fill_n(out.out[c], block.frames, 0.0f);
    return out;
}

Listener Monitor::fresh_listener(const AudioBlock& block) {
    Listener out;
    if (active_ != MonitorSource::tap) return out;
    out.tap = active_tap_;
    out.out = fresh_.block(0, block.frames);
    for (int c = 0; c < out.out.channels; ++c) std::fill_n(out.out[c], block.frames, 0.0f);
    return out;
}

/// What came in before a chain's delay, where it is known.
AudioBlock Monitor::input_before(const HistoryRing& input, int frames, int latency, AudioBuffer& to) {
    const AudioBlock out = to.block(0, frames);
    float* rows[kMaxChannels] = {out.rows[0], out.rows[1]};
    const std::int64_t first = input.written() - frames - latency;
    if (first < 0 || !input.read(first, frames, rows)) {
        for (int c = 0; c < out.channels; ++c) std::fill_n(out[c], frames, 0.0f);
    }
    return out;
}

namespace {
void blend(const AudioBlock& old_sound, const AudioBlock& fresh, const float* weights) {
    for (int c = 0; c < old_sound.channels; ++c) {
        for (int i = 0; i < old_sound.frames; ++i)
            old_sound[c][i] += weights[i] * (fresh[c][i] - old_sound[c][i]);
    }
}
}  // namespace

void Monitor::shape(const AudioBlock& block) {
    for (int done = 0; done < block.frames;) {
        if (in_grain_ == 0) {
            volume_.set(db_to_gain(wanted_[0].load(std::memory_order_relaxed)));
            volume_.begin_sub_block();
            open_.begin_sub_block();
            for (int b = 0; b < 3; ++b) {
                const auto i = static_cast<size_t>(b);
                // A hundredth of a second for a decibel and a half: faster would be heard as a click.
                const float goal = std::clamp(wanted_[i + 1].load(std::memory_order_relaxed),
                                              tone_[i] - kToneStep, tone_[i] + kToneStep);
                if (goal != tone_[i])
                    filters_[i].glide(tone_section(b, goal, format_.sample_rate));
                else if (filters_[i].moving())
                    filters_[i].hold();
                tone_[i] = goal;
            }
        }
        const int n = std::min(block.frames - done, kSubBlock - in_grain_);
        const AudioBlock part = block.slice(done, n);
        for (int b = 0; b < 3; ++b) {
            if (tone_[static_cast<size_t>(b)] != 0.0f || filters_[static_cast<size_t>(b)].moving())
                filters_[static_cast<size_t>(b)].process(part);
        }
        for (int i = 0; i < n; ++i) {
            const float gain = volume_.next() * open_.next();
            for (int c = 0; c < part.channels; ++c) part[c][i] *= gain;
        }
        in_grain_ = (in_grain_ + n) % kSubBlock;
        done += n;
    }
}

void Monitor::run(const AudioBlock& feed, const HistoryRing& input, const ChainRunner::Heard& heard,
                  bool feed_muted) noexcept {
    sound_ = {};
    if (active_ == MonitorSource::off) return;
    const AudioBlock out = buffer_.block(0, feed.frames);
    if (active_ == MonitorSource::tap && heard.weights != nullptr)
        blend(out, fresh_.block(0, feed.frames), heard.weights);
    if (active_ == MonitorSource::feed || active_ == MonitorSource::removed) {
        for (int c = 0; c < out.channels; ++c) std::copy_n(feed[c], feed.frames, out[c]);
    }
    if (active_ == MonitorSource::removed) {
        const AudioBlock came_in = input_before(input, feed.frames, heard.latency, scratch_);
        if (heard.weights != nullptr)
            blend(came_in, input_before(input, feed.frames, heard.fresh_latency, fresh_scratch_),
                  heard.weights);
        for (int c = 0; c < out.channels; ++c) {
            for (int i = 0; i < feed.frames; ++i) out[c][i] = came_in[c][i] - out[c][i];
        }
    }
    const auto wanted = static_cast<MonitorSource>(source_.load(std::memory_order_relaxed));
    const bool stays = wanted == active_ &&
                       (wanted != MonitorSource::tap || tap_.load(std::memory_order_relaxed) == active_tap_);
    const bool silent = feed_muted && mute_with_feed_.load(std::memory_order_relaxed);
    open_.set(stays && !silent ? 1.0 : 0.0);
    shape(out);
    sound_ = out;
}

}  // namespace reed
