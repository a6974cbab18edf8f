#include "dsp/psola_shifter.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

#include "dsp/cubic.h"

namespace reed {
namespace {

constexpr double kUnvoiced = 0.006;     // s between marks where there is no pitch
constexpr double kPace = 0.004;         // s between two looks at the pitch
constexpr double kWander = 0.125;       // of a period that the next mark may be off
constexpr double kBack = 0.75;          // of a period, that is compared before a mark; the rest after it
constexpr float kNoiseAlone = 1.1547f;  // what windows of noise that have nothing in common lose
constexpr double kStill = 1e-4;

}  // namespace

void PsolaShifter::prepare(const StreamFormat& format) {
    const double rate = format.sample_rate;
    channels_ = format.channels;
    longest_ = std::ceil(rate / PitchDetector::kLowest);
    unvoiced_ = std::round(kUnvoiced * rate);
    // The rise of the grain, the period to the next mark, and the range compared to find that mark.
    latency_ = static_cast<int>(std::ceil((kMostStretch + 1.0 + 2.0 * kWander + 1.0 - kBack) * longest_)) +
               2 * kSubBlock;
    const auto size = std::bit_ceil(static_cast<size_t>(latency_ + 6.0 * longest_));
    mask_ = size - 1;
    for (int c = 0; c < channels_; ++c) {
        in_[static_cast<size_t>(c)].assign(size, 0.0f);
        out_[static_cast<size_t>(c)].assign(size, 0.0f);
    }
    low_.assign(size, 0.0f);
    window_.assign(static_cast<size_t>(2.0 * kMostStretch * longest_) + 4, 0.0f);
    step_ = std::max(1, static_cast<int>(std::lround(rate / 12000.0)));
    every_ = std::max(1, static_cast<int>(std::lround(kPace * rate / kSubBlock)));
    finder_.prepare(rate);
    reset();
}

void PsolaShifter::reset() {
    for (int c = 0; c < channels_; ++c) {
        std::fill(in_[static_cast<size_t>(c)].begin(), in_[static_cast<size_t>(c)].end(), 0.0f);
        std::fill(out_[static_cast<size_t>(c)].begin(), out_[static_cast<size_t>(c)].end(), 0.0f);
    }
    std::fill(low_.begin(), low_.end(), 0.0f);
    finder_.reset();
    period_ = 0.0;
    grains_ = 0;
    now_ = 0;
    // Marks of the silence before.
    const auto apart = static_cast<std::int64_t>(unvoiced_);
    marked_ = 4;
    for (std::int64_t n = 0; n < marked_; ++n)
        marks_[static_cast<size_t>(n)] = {apart * (n - marked_), static_cast<double>(apart * (n - marked_)),
                                          false};
    used_ = 1;
    next_ = static_cast<double>(mark(2).at + latency_);
}

void PsolaShifter::begin_sub_block(double pitch, double formants) {
    if (grains_ % every_ == 0) period_ = finder_.find();
    ++grains_;
    place_marks();
    lay_grains(pitch, std::min(1.0 / formants, kMostStretch));
}

/// How alike the sound about two places is, -1 to 1.
double PsolaShifter::likeness(std::int64_t a, std::int64_t b, double period) const {
    const auto before = static_cast<std::int64_t>(kBack * period);
    const auto after = static_cast<std::int64_t>((1.0 - kBack) * period);
    float both = 0.0f, one = 1e-12f, other = 1e-12f;
    for (std::int64_t i = -before; i < after; i += step_) {
        const float x = low_[place(a + i)];
        const float y = low_[place(b + i)];
        both += x * y;
        one += x * x;
        other += y * y;
    }
    return static_cast<double>(both / std::sqrt(one * other));
}

/// Where about a period after the last mark the sound is most like that about it, between the frames: whole
/// frames would leave the voice's pulses behind, a bit with each mark.
double PsolaShifter::aligned(const Mark& last, double period) const {
    const auto middle = static_cast<std::int64_t>(std::lround(last.exact + period));
    const auto reach = static_cast<std::int64_t>(kWander * period);
    std::int64_t best = middle;
    double most = likeness(last.at, middle, period);
    const auto look = [&](std::int64_t first, std::int64_t end, int by) {
        for (std::int64_t at = first; at <= end; at += by) {
            const double now = likeness(last.at, at, period);
            if (now > most) {
                most = now;
                best = at;
            }
        }
    };
    look(middle - reach, middle + reach, step_);
    if (step_ > 1)
        look(std::max(middle - reach, best - step_ + 1), std::min(middle + reach, best + step_ - 1), 1);
    const double left = likeness(last.at, best - 1, period);
    const double right = likeness(last.at, best + 1, period);
    const double bend = left - 2.0 * most + right;
    const double off = bend < 0.0 ? std::clamp(0.5 * (left - right) / bend, -0.5, 0.5) : 0.0;
    return static_cast<double>(best) + off + (last.exact - static_cast<double>(last.at));
}

std::int64_t PsolaShifter::loudest(std::int64_t first, std::int64_t last) const {
    std::int64_t best = first;
    float most = -1.0f;
    for (std::int64_t at = first; at <= last; ++at) {
        const float x = std::abs(low_[place(at)]);
        if (x > most) {
            most = x;
            best = at;
        }
    }
    return best;
}

void PsolaShifter::place_marks() {
    while (true) {
        const Mark& last = mark(marked_ - 1);
        const bool voiced = period_ > 0.0;
        const double apart = voiced ? std::min(period_, longest_) : unvoiced_;
        const double guess = last.exact + apart;
        if (guess + (kWander + 1.0 - kBack) * apart + 3.0 > static_cast<double>(now_)) return;
        double exact = std::round(guess);
        if (voiced && last.voiced)
            exact = aligned(last, apart);
        else if (voiced)  // begins where a period is the loudest: there it is cut least
            exact =
                static_cast<double>(loudest(last.at + static_cast<std::int64_t>(0.5 * apart),
                                            last.at + static_cast<std::int64_t>((1.0 + kWander) * apart)));
        const Mark next{static_cast<std::int64_t>(std::lround(exact)), exact, voiced};
        marks_[static_cast<size_t>(marked_) % marks_.size()] = next;
        ++marked_;
    }
}

void PsolaShifter::lay_grains(double pitch, double stretch) {
    const bool moved = std::abs(pitch - 1.0) > kStill;
    const bool stretched = std::abs(stretch - 1.0) > kStill;
    while (true) {
        // The newest mark that is not after the place, with one behind it.
        const double source = next_ - latency_;
        std::int64_t n = std::max(used_, marked_ - static_cast<std::int64_t>(marks_.size()) + 2);
        while (n + 2 < marked_ && static_cast<double>(mark(n + 1).at) <= source + 0.5) ++n;
        const Mark& here = mark(n);
        const bool still = !moved && !stretched;
        const auto where = [&](std::int64_t m) {
            return still ? static_cast<double>(mark(m).at) : mark(m).exact;
        };
        const double left = std::min(where(n) - where(n - 1), longest_);
        const double right = std::min(where(n + 1) - where(n), longest_);
        if (next_ - stretch * left > static_cast<double>(now_ + kSubBlock)) return;
        float gain = 1.0f;
        if (here.voiced && (moved || stretched))
            gain = static_cast<float>(1.0 / std::sqrt(pitch * stretch));
        else if (stretched)
            gain = kNoiseAlone;
        lay(where(n), left, right, next_, stretch, gain);
        used_ = n;
        if (here.voiced && moved) {
            next_ += right / pitch;
        } else if (stretched) {
            next_ += here.voiced ? right : right * stretch;
        } else {
            // At its own place again.
            const auto at = static_cast<double>(mark(n + 1).at + latency_);
            next_ = at > next_ + 0.25 * right ? at : at + right;
        }
    }
}

void PsolaShifter::lay(double centre, double left, double right, double at, double stretch, float gain) {
    const double begin = at - stretch * left;
    const double end = at + stretch * right;
    const auto first = std::max(now_, static_cast<std::int64_t>(std::ceil(begin)));
    const auto last = static_cast<std::int64_t>(std::ceil(end)) - 1;
    if (last < first) return;
    draw_window(first, last, at, std::numbers::pi / (stretch * left), std::numbers::pi / (stretch * right));
    const double off = centre - at;
    const bool whole = stretch == 1.0 && off == std::floor(off);
    for (int c = 0; c < channels_; ++c) {
        const float* in = in_[static_cast<size_t>(c)].data();
        float* out = out_[static_cast<size_t>(c)].data();
        if (whole) {
            const auto by = static_cast<std::int64_t>(off);
            for (std::int64_t n = first; n <= last; ++n)
                out[place(n)] += gain * window_[static_cast<size_t>(n - first)] * in[place(n + by)];
            continue;
        }
        for (std::int64_t n = first; n <= last; ++n) {
            const double read = centre + (static_cast<double>(n) - at) / stretch;
            const double floor = std::floor(read);
            const auto k = static_cast<std::int64_t>(floor);
            out[place(n)] += gain * window_[static_cast<size_t>(n - first)] *
                             cubic(in[place(k - 1)], in[place(k)], in[place(k + 1)], in[place(k + 2)],
                                   static_cast<float>(read - floor));
        }
    }
}

/// Half a period of a cosine up to `at` and half a one down from it, of the frames from `first` to `last`;
/// `up` and `down` in radians a frame. The cosines are turned on from frame to frame.
void PsolaShifter::draw_window(std::int64_t first, std::int64_t last, double at, double up, double down) {
    size_t k = 0;
    std::int64_t n = first;
    const auto half = [&](std::int64_t end, double step) {
        if (n >= end) return;
        const double angle = (static_cast<double>(n) - at) * step;
        double real = std::cos(angle), imaginary = std::sin(angle);
        const double turn_real = std::cos(step), turn_imaginary = std::sin(step);
        for (; n < end; ++n) {
            window_[k++] = static_cast<float>(0.5 + 0.5 * real);
            const double next = real * turn_real - imaginary * turn_imaginary;
            imaginary = real * turn_imaginary + imaginary * turn_real;
            real = next;
        }
    };
    half(std::min(last + 1, static_cast<std::int64_t>(std::ceil(at))), up);
    half(last + 1, down);
}

void PsolaShifter::process(const AudioBlock& block) {
    float middle[kSubBlock] = {};
    const float share = 1.0f / static_cast<float>(block.channels);
    for (int c = 0; c < block.channels; ++c) {
        const auto ch = static_cast<size_t>(c);
        for (int i = 0; i < block.frames; ++i) {
            const auto at = static_cast<size_t>(now_ + i) & mask_;
            in_[ch][at] = block[c][i];
            middle[i] += share * block[c][i];
            block[c][i] = out_[ch][at];
            out_[ch][at] = 0.0f;
        }
    }
    finder_.add(middle, block.frames);
    for (int i = 0; i < block.frames; ++i) low_[place(now_ + i)] = middle[i];
    now_ += block.frames;
}

}  // namespace reed
