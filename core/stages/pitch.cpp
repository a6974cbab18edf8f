#include "stages/pitch.h"

#include <array>
#include <atomic>
#include <cmath>
#include <limits>

#include "dsp/loudness_compensator.h"
#include "dsp/psola_shifter.h"
#include "dsp/smoothed.h"

namespace reed {
namespace {

constexpr Choice kScales[] = {
    {"all", "Chromatic"}, {"major", "Major"}, {"minor", "Minor"}, {"five", "Pentatonic"}};
constexpr Choice kRoots[] = {{"c", "C"},
                             {"c_sharp", "C sharp"},
                             {"d", "D"},
                             {"d_sharp", "D sharp"},
                             {"e", "E"},
                             {"f", "F"},
                             {"f_sharp", "F sharp"},
                             {"g", "G"},
                             {"g_sharp", "G sharp"},
                             {"a", "A"},
                             {"a_sharp", "A sharp"},
                             {"b", "B"}};

constexpr Parameter kTable[] = {
    parameter::number("shift", "Pitch", Unit::semitones, -12.0, 12.0, 0.0, Scale::linear,
                      "12 semitones are one octave. Up to 3 still sounds natural."),
    parameter::number("size", "Formants", Unit::semitones, -7.0, 12.0, 0.0, Scale::linear,
                      "Lower sounds bigger, higher sounds smaller; the pitch stays the same."),
    parameter::number("snap", "Pitch correction", Unit::percent, 0.0, 100.0, 0.0, Scale::linear,
                      "How far each tone is pulled to the nearest note of the scale."),
    parameter::choice("scale", "Scale", kScales, 0, "The allowed notes, counted from the root."),
    parameter::choice("root", "Root", kRoots, 0, "First note of the scale."),
    parameter::number("speed", "Glide", Unit::milliseconds, 1.0, 300.0, 20.0, Scale::logarithmic,
                      "Time to reach the note: 1 ms sounds robotic, 150 ms natural."),
};
constexpr Readout kReadouts[] = {{"pitch", "Input pitch", Unit::hertz},
                                 {"goes_to", "Output pitch", Unit::hertz}};

/// Semitones of a scale above its root, one bit each.
constexpr unsigned kNotes[] = {0xFFF, 0b101010110101, 0b010110101101, 0b001010010101};
constexpr double kConcertPitch = 440.0;  // Hz, ISO 16
constexpr double kConcertNote = 69.0;    // its number, counted as MIDI does
constexpr double kSomebody = 5.0;        // semitones; our choice

bool has(unsigned notes, int root, int note) {
    return (notes >> static_cast<unsigned>(((note - root) % 12 + 12) % 12) & 1U) != 0;
}

/// How many semitones the nearest note is away.
double way_to_note(double note, unsigned notes, int root) {
    double best = std::numeric_limits<double>::max();
    const auto middle = static_cast<int>(std::lround(note));
    for (int n = middle - 7; n <= middle + 7; ++n) {
        if (has(notes, root, n) && std::abs(n - note) < std::abs(best)) best = n - note;
    }
    return best;
}

class PitchStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        rate_ = format.sample_rate;
        grains_.prepare(format);
        loudness_.prepare(format, grains_.latency());
        shift_.prepare(rate_, 0.010, values[kPitchShift]);
        size_.prepare(rate_, 0.010, values[kPitchSize]);
        snap_.prepare(rate_, 0.010, values[kPitchSnap]);
        set_values(values);
        correction_ = 0.0;
    }
    void set_values(std::span<const double> values) override {
        shift_.set(values[kPitchShift]);
        size_.set(values[kPitchSize]);
        snap_.set(values[kPitchSnap]);
        scale_ = static_cast<size_t>(values[kPitchScale]);
        root_ = static_cast<int>(values[kPitchRoot]);
        keep_ = std::exp(-kSubBlock / (values[kPitchSpeed] / 1000.0 * rate_));
    }
    float readout(size_t which) const override { return told_[which].load(std::memory_order_relaxed); }

    void begin_sub_block() override {
        for (Smoothed* s : {&shift_, &size_, &snap_}) s->begin_sub_block();
        const double period = grains_.period();
        double way = 0.0;
        if (period > 0.0) {
            const double note = note_of(rate_ / period);
            // Of the shifted voice, which is the output.
            way = 0.01 * snap_.sub_block_value() *
                  way_to_note(note + shift_.sub_block_value(), kNotes[scale_], root_);
        }
        correction_ = snap_.sub_block_value() > 0.0 ? way + keep_ * (correction_ - way) : 0.0;
        const bool rests = shift_.sub_block_value() == 0.0 && size_.sub_block_value() == 0.0 &&
                           snap_.sub_block_value() == 0.0;
        loudness_.allow(rests ? 1.0 : 0.5, rests ? 1.0 : 2.0);
        loudness_.begin_sub_block();
        const double pitch = std::clamp(std::exp2((shift_.sub_block_value() + correction_) / 12.0), 0.5, 2.0);
        grains_.begin_sub_block(pitch, std::exp2(size_.sub_block_value() / 12.0));
        const double now = period > 0.0 ? rate_ / period : 0.0;
        told_[0].store(static_cast<float>(now), std::memory_order_relaxed);
        told_[1].store(static_cast<float>(now * pitch), std::memory_order_relaxed);
    }
    void process(const AudioBlock& block) override {
        loudness_.hear(block);
        grains_.process(block);
        loudness_.process(block);
    }
    void reset() override {
        grains_.reset();
        loudness_.reset();
        correction_ = 0.0;
    }
    int latency() const override { return grains_.latency(); }

  private:
    double rate_ = 48000.0, keep_ = 0.0, correction_ = 0.0;
    size_t scale_ = 0;
    int root_ = 0;
    PsolaShifter grains_;
    LoudnessCompensator loudness_;
    Smoothed shift_, size_, snap_;
    std::array<std::atomic<float>, 2> told_{};
};

Finding finding(const FindingContext& now) {
    const double shift = now.values[kPitchShift], size = now.values[kPitchSize];
    if (shift == 0.0 && size == 0.0 && now.values[kPitchSnap] == 0.0)
        return {"at_rest",
                FindingTone::neutral,
                "No effect, but it adds latency. Change pitch or formants, or remove the stage.",
                {},
                {}};
    if (now.values[kPitchSnap] >= 70.0 && now.values[kPitchSpeed] <= 40.0)
        return {"sings", FindingTone::neutral, "Full correction sounds robotic.", {}, {}};
    if (std::abs(shift) > kSomebody || std::abs(size) > kSomebody)
        return {"nobody",
                FindingTone::neutral,
                "Beyond {0} semitones the voice no longer sounds natural.",
                {{kSomebody}},
                {}};
    return {"somebody", FindingTone::good, "Still sounds natural.", {}, {}};
}

}  // namespace

double note_of(double frequency) {
    return kConcertNote + 12.0 * std::log2(frequency / kConcertPitch);
}

double frequency_of_note(double note) {
    return kConcertPitch * std::exp2((note - kConcertNote) / 12.0);
}

bool scale_has(std::span<const double> values, int note) {
    return has(kNotes[static_cast<size_t>(values[kPitchScale])], static_cast<int>(values[kPitchRoot]), note);
}

double way_to_scale(std::span<const double> values, double note) {
    return way_to_note(note, kNotes[static_cast<size_t>(values[kPitchScale])],
                       static_cast<int>(values[kPitchRoot]));
}

const StageKind kPitchStage{.id = "pitch",
                            .title = "Pitch",
                            .purpose = "Shifts pitch and formants, with optional pitch correction",
                            .parameters = kTable,
                            .make = make_stage<PitchStage>,
                            .finding = finding,
                            .readouts = kReadouts};

}  // namespace reed
