#include "stages/band_motion.h"

#include <cmath>
#include <numbers>

#include "base/decibel.h"

namespace reed {
namespace {

MovingFilter::Shape shape_of(FilterType type) {
    if (type == FilterType::low_shelf) return MovingFilter::Shape::low_shelf;
    if (type == FilterType::high_shelf) return MovingFilter::Shape::high_shelf;
    return MovingFilter::Shape::bell;
}

constexpr float kNothing = 1e-4f;  // dB; less is rest

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

double band_motion_response_db(const BandSettings& band, double moved_db, double frequency,
                               double sample_rate) {
    if (moved_db == 0.0 || !can_move(band.type)) return 0.0;
    BandSettings moved = band;
    moved.gain_db = moved_db;
    // The trapezoidal filter is the prototype on a squeezed axis.
    const double corner = std::min(band.frequency, 0.45 * sample_rate);
    moved.frequency = corner;
    const auto squeezed = [sample_rate](double f) { return std::tan(std::numbers::pi * f / sample_rate); };
    const double f = corner * squeezed(std::min(frequency, 0.499 * sample_rate)) / squeezed(corner);
    return gain_to_db(std::abs(prototypes(moved)[0].response(f)));
}

void BandMotion::prepare(double sample_rate, const BandSettings& band, const BandMotionSettings& motion) {
    rate_ = sample_rate;
    band_ = band;
    band_.gain_db = 0.0;
    range_.prepare(rate_, band_range(band), band_level_seconds(band));
    filter_.prepare(rate_, band.frequency);
    filter_.set_shape(shape_of(band.type), band.q);
    set(motion);
    reset();
    acting_ = motion_.moves != BandMoves::stays && can_move(band.type);
}

void BandMotion::set(const BandMotionSettings& motion) {
    motion_ = motion;
    ballistics_.set(rate_, motion.attack_ms, motion.release_ms, false);
}

void BandMotion::reset() {
    range_.reset();
    filter_.reset();
    ballistics_.reset();
    now_ = 0.0f;
    std::fill_n(moved_, kGrain, 0.0f);
    shown_level_.store(-150.0f, std::memory_order_relaxed);
    shown_moved_.store(0.0f, std::memory_order_relaxed);
}

void BandMotion::begin_grain(const BandSettings& now) {
    BandSettings band = now;
    band.gain_db = 0.0;  // which is no matter of its range
    const bool moves = motion_.moves != BandMoves::stays && can_move(band.type);
    const bool was = acting_;
    acting_ = moves || now_ != 0.0f;
    if (!acting_) {
        if (was) reset();
        return;
    }
    if (!was || band.type != band_.type) {
        prepare(rate_, band, motion_);
        return;
    }
    range_.hold();
    if (!(band == band_)) follow(band);
}

void BandMotion::follow(const BandSettings& band) {
    range_.move(design(band_range(band), rate_, Precision::rough), band_level_seconds(band));
    filter_.set_corner(band.frequency);
    filter_.set_shape(shape_of(band.type), band.q);
    band_ = band;
}

void BandMotion::listen(const AudioBlock& sound) {
    float level[kGrain];
    range_.level(sound, level);
    const bool moves = motion_.moves != BandMoves::stays && can_move(band_.type);
    // What is on its way down comes through rest before it goes up.
    const float way = motion_.moves == BandMoves::lifts ? 1.0f : -1.0f;
    if (moves && now_ == 0.0f) sign_ = way;
    const bool towards = moves && way == sign_;
    for (int i = 0; i < sound.frames; ++i)
        moved_[i] = towards ? std::abs(band_motion_db(motion_, level[i])) : 0.0f;
    for (int i = 0; i < sound.frames; ++i) {
        const float at = ballistics_.next(moved_[i]);
        moved_[i] = at < kNothing ? 0.0f : sign_ * at;
    }
    now_ = moved_[sound.frames - 1];
    if (now_ == 0.0f && !towards) ballistics_.reset();
    shown_level_.store(level[sound.frames - 1], std::memory_order_relaxed);
    shown_moved_.store(now_, std::memory_order_relaxed);
}

}  // namespace reed
