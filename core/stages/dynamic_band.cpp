#include "stages/dynamic_band.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

#include "base/decibel.h"
#include "base/fast_math.h"

namespace reed {
namespace {

constexpr float kNothing = 1e-4f;  // dB; less is rest
constexpr float kSilence = -150.0f;

}  // namespace

BandSettings band_range(const BandSettings& band) {
    BandSettings out = band;
    out.gain_db = 0.0;
    switch (band.type) {
        case FilterType::low_shelf:
            out.type = FilterType::high_cut;
            break;
        case FilterType::high_shelf:
        case FilterType::tilt:
            out.type = FilterType::low_cut;
            break;
        case FilterType::low_cut:
            out.type = FilterType::high_cut;
            return out;
        case FilterType::high_cut:
            out.type = FilterType::low_cut;
            return out;
        default:
            out.type = FilterType::band_pass;
            return out;
    }
    out.slope = 12;
    out.q = 0.70710678;
    return out;
}

double band_level_seconds(const BandSettings& band) {
    const double periods = band.type == FilterType::low_shelf ? 3.0 : 1.0;
    return std::clamp(periods / band.frequency, 0.002, 0.020);
}

bool can_move(FilterType type) {
    return type == FilterType::bell || type == FilterType::low_shelf || type == FilterType::high_shelf;
}

float band_motion_db(const DynamicBandSettings& s, float level) {
    const float over = level - static_cast<float>(s.threshold);
    const auto slope = static_cast<float>(1.0 - 1.0 / s.ratio);
    const auto depth = static_cast<float>(s.depth_db);
    if (s.moves == DynamicMode::tames) return -std::min(depth, slope * std::max(over, 0.0f));
    if (s.moves != DynamicMode::lifts) return 0.0f;
    const float pause = std::clamp((40.0f + over) / 20.0f, 0.0f, 1.0f);
    return pause * std::min(depth, slope * std::max(-over, 0.0f));
}

double band_motion_response_db(const BandSettings& band, double moved_db, double frequency,
                               double sample_rate) {
    if (moved_db == 0.0 || !can_move(band.type)) return 0.0;
    BandSettings moved = band;
    moved.gain_db = moved_db;
    // The trapezoidal filter is the prototype on a squeezed axis.
    moved.frequency = std::min(band.frequency, 0.45 * sample_rate);
    const auto squeezed = [sample_rate](double f) { return std::tan(std::numbers::pi * f / sample_rate); };
    const double f =
        moved.frequency * squeezed(std::min(frequency, 0.499 * sample_rate)) / squeezed(moved.frequency);
    return gain_to_db(std::abs(prototypes(moved)[0].response(f)));
}

void BandMotions::prepare(double sample_rate) {
    rate_ = sample_rate;
    for (Band& b : bands_) tune(b);
    reset();
}

void BandMotions::set(int band, const DynamicBandSettings& settings) {
    Band& b = bands_[at(band)];
    if (settings == b.settings) return;
    b.settings = settings;
    tune(b);
}

void BandMotions::tune(Band& b) const {
    b.ballistics.set(rate_ / kSubBlock, b.settings.attack_ms, b.settings.release_ms, false);
}

void BandMotions::reset() {
    for (int b = 0; b < kEqualizerBands; ++b) end(b);
}

void BandMotions::begin(int band, const BandSettings& shape) {
    Band& b = bands_[at(band)];
    b.acting = true;
    ++acting_;
    ++ranges_[at(band) / kLanes].acting;
    shape_to(band, shape);
    b.end = coefficients(b, 0.0f);
    b.at_end = 0.0f;
    b.turned = false;
}

void BandMotions::end(int band) {
    Band& b = bands_[at(band)];
    Ranges& r = ranges_[at(band) / kLanes];
    const size_t lane = at(band) % kLanes;
    if (b.acting) {
        --acting_;
        --r.acting;
    }
    b.acting = false;
    b.level.reset();
    b.moved = 0.0f;
    b.at_end = 0.0f;
    b.ballistics.reset();
    b.state = {};
    // An unused lane processes zeros.
    for (Lanes* row : {&r.keep, &r.cross, &r.feed, &r.from_in, &r.from_v1, &r.from_v2}) (*row)[lane] = 0.0f;
    for (size_t c = 0; c < kMaxChannels; ++c) r.s1[c][lane] = r.s2[c][lane] = r.sum[c][lane] = 0.0f;
    shown_level_[at(band)].store(kSilence, std::memory_order_relaxed);
    shown_moved_[at(band)].store(0.0f, std::memory_order_relaxed);
}

void BandMotions::shape_to(int band, const BandSettings& shape) {
    Band& b = bands_[at(band)];
    b.shape = shape;
    b.warped = warped_frequency(shape.frequency, rate_);
    b.level.set(rate_, band_level_seconds(shape));
    Ranges& r = ranges_[at(band) / kLanes];
    const size_t lane = at(band) % kLanes;
    const bool bell = shape.type == FilterType::bell;
    const float damping = bell ? static_cast<float>(1.0 / shape.q) : 1.41421356f;
    const SvfCoefficients p = SvfCoefficients::of(b.warped, damping);
    r.keep[lane] = p.keep;
    r.cross[lane] = p.cross;
    r.feed[lane] = p.feed;
    const bool high = shape.type == FilterType::high_shelf;
    r.from_in[lane] = high ? 1.0f : 0.0f;
    r.from_v1[lane] = 0.5f * (bell ? damping : (high ? -damping : 0.0f));
    r.from_v2[lane] = 0.5f * (bell ? 0.0f : (high ? -1.0f : 1.0f));
    b.turned = true;
}

void BandMotions::begin_sub_block(int band, const BandSettings& now, double heard) {
    Band& b = bands_[at(band)];
    const bool moves = b.settings.moves != DynamicMode::stays && can_move(now.type) && heard > 0.0;
    if (!moves && !b.acting) return;
    BandSettings shape = now;
    shape.gain_db = 0.0;  // which is no matter of its range
    if (b.acting &&
        (heard == 0.0 || (!moves && b.moved == 0.0f && b.at_end == 0.0f) || shape.type != b.shape.type))
        end(band);
    if (!moves && !b.acting) return;
    if (!b.acting)
        begin(band, shape);
    else if (!(shape == b.shape))
        shape_to(band, shape);
    measure(band);
    move(b, static_cast<float>(heard) * b.moved);
}

void BandMotions::measure(int band) {
    Band& b = bands_[at(band)];
    Ranges& r = ranges_[at(band) / kLanes];
    const size_t lane = at(band) % kLanes;
    // Linked over channels: the louder one counts.
    const float level = b.level.next(std::max(r.sum[0][lane], r.sum[1][lane]));
    for (auto& row : r.sum) row[lane] = 0.0f;
    // What is on its way down comes through rest before it goes up.
    const float way = b.settings.moves == DynamicMode::lifts ? 1.0f : -1.0f;
    if (b.moved == 0.0f) b.sign = way;
    const float wanted = way == b.sign ? std::abs(band_motion_db(b.settings, level)) : 0.0f;
    const float reached = b.ballistics.next(wanted);
    b.moved = reached < kNothing ? 0.0f : b.sign * reached;
    if (b.moved == 0.0f && wanted == 0.0f) b.ballistics.reset();
    shown_level_[at(band)].store(level, std::memory_order_relaxed);
    shown_moved_[at(band)].store(b.moved, std::memory_order_relaxed);
}

BandMotions::Coefficients BandMotions::coefficients(const Band& b, float moved_db) {
    const float a = fast_exp2(0.5f * kLog2PerDb * moved_db);  // square root of the gain
    const auto q = static_cast<float>(b.shape.q);
    float g = b.warped;
    float damping = 1.0f / q;
    Coefficients c;
    if (b.shape.type == FilterType::bell) {
        damping /= a;
        c.m1 = damping * (a * a - 1.0f);
    } else if (b.shape.type == FilterType::low_shelf) {
        g /= std::sqrt(a);
        c.m1 = damping * (a - 1.0f);
        c.m2 = a * a - 1.0f;
    } else {
        g *= std::sqrt(a);
        c.m0 = a * a;
        c.m1 = damping * (1.0f - a) * a;
        c.m2 = 1.0f - a * a;
    }
    c.m1 *= 0.5f;
    c.m2 *= 0.5f;
    c.poles = SvfCoefficients::of(g, damping);
    return c;
}

void BandMotions::move(Band& b, float to) {
    done_ = 0;
    const bool stood = b.at_end == to && !b.turned;
    b.now = b.end;
    b.step = {{0.0f, 0.0f, 0.0f}, 0.0f, 0.0f, 0.0f};
    if (stood) return;
    b.end = coefficients(b, to);
    b.at_end = to;
    b.turned = false;
    const Coefficients& from = b.now;
    constexpr float n = 1.0f / kSubBlock;
    b.step = {{(b.end.poles.keep - from.poles.keep) * n, (b.end.poles.cross - from.poles.cross) * n,
               (b.end.poles.feed - from.poles.feed) * n},
              (b.end.m0 - from.m0) * n,
              (b.end.m1 - from.m1) * n,
              (b.end.m2 - from.m2) * n};
}

namespace {

/// Four lanes in one register, with clang as with GCC.
using Four [[gnu::vector_size(16)]] = float;

Four load(const std::array<float, 4>& from) {
    return std::bit_cast<Four>(from);
}

}  // namespace

void BandMotions::listen(const AudioBlock& sound) {
    if (acting_ == 0) return;
    for (Ranges& r : ranges_) {
        if (r.acting == 0) continue;
        const Four keep = load(r.keep), cross = load(r.cross), feed = load(r.feed);
        const Four from_in = load(r.from_in), from_v1 = load(r.from_v1), from_v2 = load(r.from_v2);
        for (int ch = 0; ch < std::min(sound.channels, kMaxChannels); ++ch) {
            const auto c = static_cast<size_t>(ch);
            Four s1 = load(r.s1[c]);
            Four s2 = load(r.s2[c]);
            Four sum = load(r.sum[c]);
            const float* x = sound[ch];
            for (int i = 0; i < sound.frames; ++i) {
                const Four in = {x[i], x[i], x[i], x[i]};
                const Four n1 = (keep * s1 + cross * in) - cross * s2;
                const Four n2 = (s2 + feed * in) + (cross * s1 - feed * s2);
                const Four y = from_in * in + from_v1 * (s1 + n1) + from_v2 * (s2 + n2);
                s1 = n1;
                s2 = n2;
                sum += y * y;
            }
            r.s1[c] = std::bit_cast<Lanes>(s1);
            r.s2[c] = std::bit_cast<Lanes>(s2);
            r.sum[c] = std::bit_cast<Lanes>(sum);
        }
    }
}

void BandMotions::process(const AudioBlock& block) {
    if (acting_ == 0) return;
    std::array<Band*, kEqualizerBands> acting{};
    size_t n = 0;
    for (Band& b : bands_) {
        if (b.acting) acting[n++] = &b;
    }
    for (size_t i = 0; i < n; i += kLanes) run(std::span(acting).subspan(i, std::min(kLanes, n - i)), block);
    done_ += block.frames;
}

namespace {

/// Four filters in a row, one frame apart: while the first has frame t, the second has t - 1 of what the
/// first has made, and so on. A lane without a filter passes what it is given.
struct Row {
    Four keep{}, cross{}, feed{}, m0 = {1.0f, 1.0f, 1.0f, 1.0f}, m1{}, m2{};
    Four keep_by{}, cross_by{}, feed_by{}, m0_by{}, m1_by{}, m2_by{};  // a frame
    Four s1{}, s2{}, out{};
    Four frame{};  // of the grain, counted from one

    template <bool kAll>
    float next(float in, int t, int frames) {
        const Four x = __builtin_shufflevector(Four{in, 0.0f, 0.0f, 0.0f}, out, 0, 4, 5, 6);
        const Four k = keep + frame * keep_by, c = cross + frame * cross_by, f = feed + frame * feed_by;
        const Four at_band = m1 + frame * m1_by, at_low = m2 + frame * m2_by;
        // What does not wait for the newest frame first: the next lane waits for what comes out.
        const Four u1 = k * s1 - c * s2, u2 = (s2 - f * s2) + c * s1;
        const Four ringing = at_band * (s1 + u1) + at_low * (s2 + u2);
        out = ((m0 + frame * m0_by) + (at_band * c + at_low * f)) * x + ringing;
        const Four n1 = u1 + c * x, n2 = u2 + f * x;
        frame += Four{1.0f, 1.0f, 1.0f, 1.0f};
        if constexpr (kAll) {
            s1 = n1;
            s2 = n2;
        } else {
            // Lanes that have no frame yet, or none any more, stay as they are.
            for (int lane = 0; lane < 4; ++lane) {
                if (t < lane || t - lane >= frames) continue;
                s1[lane] = n1[lane];
                s2[lane] = n2[lane];
            }
        }
        return out[3];
    }
};

}  // namespace

void BandMotions::run(std::span<Band* const> row, const AudioBlock& block) const {
    Row all;
    const auto done = static_cast<float>(done_);
    all.frame = Four{done + 1.0f, done, done - 1.0f, done - 2.0f};
    const Four first_frame = all.frame;
    for (size_t b = 0; b < row.size(); ++b) {
        const Coefficients &from = row[b]->now, &by = row[b]->step;
        all.keep[b] = from.poles.keep;
        all.cross[b] = from.poles.cross;
        all.feed[b] = from.poles.feed;
        all.m0[b] = from.m0;
        all.m1[b] = from.m1;
        all.m2[b] = from.m2;
        all.keep_by[b] = by.poles.keep;
        all.cross_by[b] = by.poles.cross;
        all.feed_by[b] = by.poles.feed;
        all.m0_by[b] = by.m0;
        all.m1_by[b] = by.m1;
        all.m2_by[b] = by.m2;
    }
    constexpr int kLate = 3;  // frames by which the last lane is behind
    const int n = block.frames;
    for (int ch = 0; ch < std::min(block.channels, kMaxChannels); ++ch) {
        const auto c = static_cast<size_t>(ch);
        all.frame = first_frame;
        for (size_t b = 0; b < row.size(); ++b) {
            all.s1[b] = row[b]->state[c][0];
            all.s2[b] = row[b]->state[c][1];
        }
        float* x = block[ch];
        int t = 0;
        for (; t < std::min(kLate, n); ++t) all.next<false>(x[t], t, n);
        for (; t < n; ++t) x[t - kLate] = all.next<true>(x[t], t, n);
        for (; t < n + kLate; ++t) {
            const float y = all.next<false>(0.0f, t, n);
            if (t >= kLate) x[t - kLate] = y;
        }
        for (size_t b = 0; b < row.size(); ++b) row[b]->state[c] = {all.s1[b], all.s2[b]};
    }
}

}  // namespace reed
