#include "stages/equalizer.h"

#include <array>
#include <cmath>

#include "base/decibel.h"
#include "dsp/biquad_cascade.h"
#include "dsp/smoothed.h"
#include "stages/equalizer_band.h"

namespace reed {
namespace {

constexpr Choice kTypes[] = {
    {"bell", "Bell"},       {"low_shelf", "Low shelf"}, {"high_shelf", "High shelf"},
    {"low_cut", "Low cut"}, {"high_cut", "High cut"},   {"notch", "Notch"},
    {"tilt", "Tilt"},
};
constexpr Choice kSlopes[] = {
    {"6", "6 dB/oct"},   {"12", "12 dB/oct"}, {"18", "18 dB/oct"}, {"24", "24 dB/oct"},
    {"30", "30 dB/oct"}, {"36", "36 dB/oct"}, {"42", "42 dB/oct"}, {"48", "48 dB/oct"},
};
constexpr Choice kMoves[] = {{"stays", "Off"}, {"tames", "Cut when loud"}, {"lifts", "Boost when quiet"}};

/// The strings of the table, made at compile time: "band3_frequency", "Band 3".
struct Names {
    char text[kEqualizerBands][kBandParameters + 1][20] = {};
    consteval Names() {
        constexpr std::string_view kSuffix[] = {"_on",    "_type",   "_frequency", "_gain",
                                                "_q",     "_slope",  "_moves",     "_threshold",
                                                "_ratio", "_attack", "_release",   "_depth"};
        for (int b = 0; b < kEqualizerBands; ++b) {
            for (int p = 0; p <= kBandParameters; ++p) {
                size_t n = 0;
                char* out = text[b][p];
                for (char c : std::string_view(p == kBandParameters ? "Band " : "band")) out[n++] = c;
                if (b >= 9) out[n++] = '1';
                out[n++] = static_cast<char>('0' + (b + 1) % 10);
                if (p < kBandParameters) {
                    for (char c : kSuffix[p]) out[n++] = c;
                }
            }
        }
    }
};
constexpr Names kNames;

struct BandDefault {
    bool on;
    FilterType type;
    double frequency, gain, q;
};
/// Six bands to start with; the others are off. Frequencies are nominal third-octave centres (IEC 61260-1) by
/// what 27 recorded voices have there in the median (bench/more_voices.sh): below all speech, its lowest
/// strong band, the middle of the lows, the middle of the consonants, the strongest of the s sounds (7.5
/// kHz), and where speech is 30 dB weaker than at its strongest.
constexpr BandDefault band_default(int band) {
    switch (band) {
        case 0:
            return {true, FilterType::low_cut, 63.0, 0.0, 0.71};
        case 1:
            return {true, FilterType::bell, 160.0, 0.0, 1.0};
        case 2:
            return {true, FilterType::bell, 315.0, 0.0, 1.0};
        case 3:
            return {true, FilterType::bell, 3150.0, 0.0, 1.0};
        case 4:
            return {true, FilterType::high_shelf, 8000.0, 0.0, 0.71};
        case 5:
            return {false, FilterType::high_cut, 16000.0, 0.0, 0.71};
        default:
            return {false, FilterType::bell, 1000.0, 0.0, 1.0};
    }
}

constexpr Choice kListenChoices[kEqualizerBands + 1] = {
    {"off", "Off"},        {"band1", "Band 1"},   {"band2", "Band 2"},   {"band3", "Band 3"},
    {"band4", "Band 4"},   {"band5", "Band 5"},   {"band6", "Band 6"},   {"band7", "Band 7"},
    {"band8", "Band 8"},   {"band9", "Band 9"},   {"band10", "Band 10"}, {"band11", "Band 11"},
    {"band12", "Band 12"}, {"band13", "Band 13"}, {"band14", "Band 14"}, {"band15", "Band 15"},
    {"band16", "Band 16"},
};

consteval std::array<Parameter, kEqualizerRows> make_table() {
    std::array<Parameter, kEqualizerRows> table{};
    table[kFindOn] =
        parameter::transient(parameter::toggle("find", "Sweep", false, "A narrow boost to find resonances."));
    table[kFindFrequency] = parameter::transient(
        parameter::number("find_frequency", "Sweep frequency", Unit::hertz, 20.0, 20000.0, 400.0,
                          Scale::logarithmic, "Frequency of the boost."));
    table[kFindGain] = parameter::transient(parameter::number(
        "find_gain", "Sweep gain", Unit::decibel, 0.0, 15.0, 9.0, Scale::linear, "Height of the boost."));
    table[kFindQ] = parameter::transient(parameter::number("find_q", "Sweep Q", Unit::quality, 1.0, 30.0, 8.0,
                                                           Scale::logarithmic,
                                                           "Width of the boost: higher is narrower."));
    table[kListenRow] = parameter::transient(
        parameter::choice("listen", "Solo band", kListenChoices, 0, "Plays one band alone."));
    for (int b = 0; b < kEqualizerBands; ++b) {
        const BandDefault d = band_default(b);
        const auto& n = kNames.text[b];
        Parameter* row = &table[static_cast<size_t>(b * kBandParameters)];
        row[kBandOn] = parameter::toggle(n[kBandOn], "On", d.on, "Switches this band.");
        row[kBandType] = parameter::choice(n[kBandType], "Type", kTypes, static_cast<size_t>(d.type),
                                           "The shape of the band.");
        row[kBandFrequency] =
            parameter::number(n[kBandFrequency], "Frequency", Unit::hertz, 20.0, 20000.0, d.frequency,
                              Scale::logarithmic, "Boost and sweep the band to find problem frequencies.");
        row[kBandGain] = parameter::number(n[kBandGain], "Gain", Unit::decibel, -24.0, 24.0, d.gain,
                                           Scale::linear, "A few decibels are enough; stay within 4 dB.");
        row[kBandQ] = parameter::number(n[kBandQ], "Q", Unit::quality, 0.1, 30.0, d.q, Scale::logarithmic,
                                        "Narrow to cut a resonance, broad to colour.");
        row[kBandSlope] = parameter::choice(n[kBandSlope], "Slope", kSlopes, 1, "Steepness of the cuts.");
        row[kBandMoves] = parameter::choice(n[kBandMoves], "Dynamics", kMoves, 0,
                                            "Changes the gain with the level of this band: tames sibilance "
                                            "or boom, or boosts what is weak. Bells and shelves only.");
        row[kBandThreshold] = parameter::number(
            n[kBandThreshold], "Threshold", Unit::dbfs, -80.0, 0.0, -30.0, Scale::linear,
            "Cut: between the typical and loud levels of this band. Boost: at its typical level.");
        row[kBandRatio] =
            parameter::number(n[kBandRatio], "Ratio", Unit::ratio, 1.0, 20.0, 3.0, Scale::logarithmic,
                              "How strongly the gain follows the level; 1:1 is off.");
        row[kBandAttack] = parameter::number(n[kBandAttack], "Attack", Unit::milliseconds, 1.0, 200.0, 8.0,
                                             Scale::logarithmic,
                                             "Shorter than the sounds to catch: an s lasts 30 to 80 ms.");
        row[kBandRelease] = parameter::number(n[kBandRelease], "Release", Unit::milliseconds, 10.0, 2000.0,
                                              80.0, Scale::logarithmic, "Time to return to the static gain.");
        row[kBandDepth] = parameter::number(n[kBandDepth], "Max change", Unit::decibel, 0.0, 24.0, 6.0,
                                            Scale::linear, "Largest gain change.");
        for (int p = 0; p < kBandParameters; ++p) row[p].group = n[kBandParameters];
    }
    return table;
}
constexpr auto kTable = make_table();

/// The strings of the readouts: "band3_level", "band3_moved".
struct ReadoutNames {
    char text[2 * kEqualizerBands][16] = {};
    consteval ReadoutNames() {
        for (int i = 0; i < 2 * kEqualizerBands; ++i) {
            size_t n = 0;
            char* out = text[i];
            for (char c : std::string_view("band")) out[n++] = c;
            if (i / 2 >= 9) out[n++] = '1';
            out[n++] = static_cast<char>('0' + (i / 2 + 1) % 10);
            for (char c : std::string_view(i % 2 == 0 ? "_level" : "_moved")) out[n++] = c;
        }
    }
};
constexpr ReadoutNames kReadoutNames;

/// Two a band, in their order.
consteval std::array<Readout, 2 * kEqualizerBands> make_readouts() {
    std::array<Readout, 2 * kEqualizerBands> out{};
    for (size_t b = 0; b < kEqualizerBands; ++b) {
        out[2 * b] = {kReadoutNames.text[2 * b], "Band level", Unit::dbfs, kNames.text[b][kBandThreshold]};
        out[2 * b + 1] = {kReadoutNames.text[2 * b + 1], "Gain change", Unit::decibel,
                          kNames.text[b][kBandDepth]};
    }
    return out;
}
constexpr auto kReadouts = make_readouts();

/// Fades between the equalizer's sound and one band's range of its input.
class Listening {
  public:
    void prepare(double rate, std::span<const double> values) {
        rate_ = rate;
        mix_.prepare(rate, 0.005, 0.0);
        open_.prepare(rate, 0.003, 1.0);
        set(values);
    }
    void set(std::span<const double> values) {
        const int band = static_cast<int>(values[kListenRow]) - 1;
        mix_.set(band < 0 ? 0.0 : 1.0);
        if (band < 0) return;
        wanted_band_ = band;
        wanted_ = band_range(band_settings(values, band));
    }
    void begin_sub_block() {
        const bool was_active = active();
        mix_.begin_sub_block();
        if (!was_active) {
            // Nobody hears it: the filter may be any, with nothing ringing in it.
            if (!active()) return;
            take_wanted();
            open_.snap(1.0);
            return;
        }
        // Another band fades out, changes, and fades in; the same one is followed while it moves.
        const bool same = wanted_band_ == band_ && wanted_.type == filter_.type;
        open_.set(same ? 1.0 : 0.0);
        open_.begin_sub_block();
        if (!same && !open_.moving() && open_.sub_block_value() == 0.0) take_wanted();
        if (same && !(wanted_ == filter_)) {
            runner_.glide(design(wanted_, rate_));
            filter_ = wanted_;
        }
    }
    /// A glide lasts one grain.
    void hold() { runner_.hold(); }
    bool active() const { return mix_.moving() || mix_.target() > 0.0 || mix_.sub_block_value() > 0.0; }
    /// `copy`: the equalizer's input, overwritten.
    void process(const AudioBlock& copy, const AudioBlock& block) {
        runner_.process(copy);
        for (int i = 0; i < block.frames; ++i) {
            const float m = mix_.next();
            const float o = open_.next();
            for (int c = 0; c < block.channels; ++c) block[c][i] += m * (o * copy[c][i] - block[c][i]);
        }
    }
    void reset() { runner_.reset(); }

  private:
    void take_wanted() {
        runner_.snap(design(wanted_, rate_));
        runner_.reset();
        filter_ = wanted_;
        band_ = wanted_band_;
    }

    double rate_ = 48000.0;
    Smoothed mix_, open_;
    int band_ = -1, wanted_band_ = -1;
    BandSettings wanted_, filter_{FilterType::notch, 1.0, 0.0, 1.0, 6};
    BiquadCascade runner_;
};

class EqualizerStage final : public Stage {
  public:
    void prepare(const StreamFormat& format, std::span<const double> values) override {
        motions_.prepare(format.sample_rate);
        for (int b = 0; b < kEqualizerBands; ++b) {
            bands_[static_cast<size_t>(b)].prepare(format.sample_rate, band_settings(values, b),
                                                   on(values, b));
            motions_.set(b, band_motion(values, b));
        }
        bands_[kEqualizerBands].prepare(format.sample_rate, finding(values), values[kFindOn] >= 0.5);
        listening_.prepare(format.sample_rate, values);
    }
    void set_values(std::span<const double> values) override {
        for (int b = 0; b < kEqualizerBands; ++b) {
            bands_[static_cast<size_t>(b)].set(band_settings(values, b), on(values, b));
            motions_.set(b, band_motion(values, b));
        }
        bands_[kEqualizerBands].set(finding(values), values[kFindOn] >= 0.5);
        listening_.set(values);
    }
    void begin_sub_block() override {
        for (auto& band : bands_) band.begin_sub_block();
        for (int b = 0; b < kEqualizerBands; ++b) {
            const EqualizerBandProcessor& band = bands_[static_cast<size_t>(b)];
            if (motions_.acts(b)) motions_.begin_sub_block(b, band.shape(), band.heard());
        }
        listening_.hold();
        listening_.begin_sub_block();
    }
    void process(const AudioBlock& block) override {
        float rows[kMaxChannels][kSubBlock];
        AudioBlock copy = block;
        const bool listening = listening_.active();
        for (int c = 0; listening && c < std::min(block.channels, kMaxChannels); ++c) {
            std::copy_n(block[c], block.frames, rows[c]);
            copy.rows[static_cast<size_t>(c)] = rows[c];
        }
        motions_.listen(block);
        run_bands(block);
        motions_.process(block);
        if (listening) listening_.process(copy, block);
    }
    void reset() override {
        for (auto& band : bands_) band.reset();
        motions_.reset();
        listening_.reset();
    }

    float readout(size_t which) const override {
        const int band = static_cast<int>(which / 2);
        return which % 2 == 0 ? motions_.level(band) : motions_.moved(band);
    }

  private:
    /// In their order; neighbours that are still go together.
    void run_bands(const AudioBlock& block) {
        BiquadCascade* together[kEqualizerBands + 1];
        int count = 0;
        const auto flush = [&] {
            if (count > 0) BiquadCascade::process_still(together, count, block);
            count = 0;
        };
        for (auto& band : bands_) {
            if (!band.active()) continue;
            if (band.still()) {
                together[count++] = &band.runner();
                continue;
            }
            flush();
            band.process(block);
        }
        flush();
    }
    static bool on(std::span<const double> values, int band) {
        return values[static_cast<size_t>(band * kBandParameters + kBandOn)] >= 0.5;
    }
    static BandSettings finding(std::span<const double> values) {
        return {FilterType::bell, values[kFindFrequency], values[kFindGain], values[kFindQ], 12};
    }
    std::array<EqualizerBandProcessor, kEqualizerBands + 1> bands_;  // the last one finds
    BandMotions motions_;
    Listening listening_;
};

}  // namespace

BandSettings band_settings(std::span<const double> values, int band) {
    const double* row = &values[static_cast<size_t>(band * kBandParameters)];
    BandSettings out;
    out.type = static_cast<FilterType>(static_cast<int>(row[kBandType]));
    out.frequency = row[kBandFrequency];
    out.gain_db = row[kBandGain];
    out.q = row[kBandQ];
    out.slope = 6 * (static_cast<int>(row[kBandSlope]) + 1);
    return out;
}

bool band_moves(std::span<const double> values, int band) {
    return values[static_cast<size_t>(band * kBandParameters + kBandOn)] >= 0.5 &&
           band_motion(values, band).moves != DynamicMode::stays &&
           can_move(band_settings(values, band).type);
}

DynamicBandSettings band_motion(std::span<const double> values, int band) {
    const double* row = &values[static_cast<size_t>(band * kBandParameters)];
    DynamicBandSettings out;
    out.moves = static_cast<DynamicMode>(static_cast<int>(row[kBandMoves]));
    out.threshold = row[kBandThreshold];
    out.ratio = row[kBandRatio];
    out.attack_ms = row[kBandAttack];
    out.release_ms = row[kBandRelease];
    out.depth_db = row[kBandDepth];
    return out;
}

double equalizer_response_db(std::span<const double> values, double frequency, double sample_rate) {
    double magnitude = 1.0;
    for (int b = 0; b < kEqualizerBands; ++b) {
        if (values[static_cast<size_t>(b * kBandParameters + kBandOn)] < 0.5) continue;
        magnitude *= std::abs(design(band_settings(values, b), sample_rate).response(frequency, sample_rate));
    }
    return gain_to_db(magnitude);
}

namespace {

/// What all bands do together at the frequency they lift most. More than 4 dB is seldom needed (common
/// practice, no source).
Finding finding(const FindingContext& now) {
    double highest = 0.0;
    double at = 0.0;
    for (double f = 30.0; f < 16000.0; f *= 1.05) {
        const double gain = equalizer_response_db(now.values, f, 48000.0);
        if (gain > highest) {
            highest = gain;
            at = f;
        }
    }
    if (highest <= 4.05) return {};
    return {"lifts_much",
            FindingTone::warning,
            "The bands boost {0} by {1} dB in total. More than 4 dB is rarely needed; try cutting other "
            "frequencies.",
            {{round_value(kTable[kBandFrequency], at), Unit::hertz}, {highest}},
            {}};
}

bool is_band_threshold(std::span<const double> values, size_t row) {
    if (row >= kListenRow || row % kBandParameters != kBandThreshold) return false;
    return band_moves(values, static_cast<int>(row / kBandParameters));
}

}  // namespace

const StageKind kEqualizerStage{.id = "equalizer",
                                .title = "Equalizer",
                                .purpose = "Shapes the tone: less rumble and box, more clarity",
                                .parameters = kTable,
                                .make = make_stage<EqualizerStage>,
                                .usual = true,
                                .finding = finding,
                                .is_band_threshold = is_band_threshold,
                                .readouts = kReadouts};

}  // namespace reed
