// Soundchecks on cases whose faults are known. Arguments: a folder with WAV files of talk at 48 kHz
// (bench/more_voices.sh makes one) and, to compare with templates, the folder of these; "--list" prints each
// case.
#include <cmath>
#include <cstring>
#include <functional>
#include <map>
#include <random>
#include <set>

#include "base/decibel.h"
#include "chain/chain.h"
#include "constructed.h"
#include "measure/intelligibility.h"
#include "measure/loudness.h"
#include "scenes/adaptation.h"
#include "scenes/library.h"
#include "soundcheck/proposal.h"
#include "support/noises.h"
#include "voices.h"

namespace {

using namespace reed;
using namespace reed::bench;
using reed::test::make_noise;
using reed::test::Noise;
enum class Fault {
    none,
    hum,
    whistle,
    rumble,
    hot,
    faint,
    near_noise,
    echo,
    one_side,
    pops,
    boxy,
    sharp,
    desk,
    inverted
};
constexpr const char* kFaultNames[] = {"none",  "hum",        "whistle", "rumble",   "hot",
                                       "faint", "near noise", "echo",    "one side", "pops",
                                       "boxy",  "sharp",      "desk",    "inverted"};
/// The finding that a fault must give.
constexpr const char* kMustFind[] = {"",          "hum",        "tone",        "rumble",      "too_hot",
                                     "too_quiet", "near_noise", "echo_high",   "one_side",    "plosives",
                                     "boxiness",  "sibilance",  "noises_loud", "out_of_phase"};

constexpr Noise kCaseRooms[] = {Noise::fan,     Noise::hiss,  Noise::rain,
                                Noise::traffic, Noise::lathe, Noise::street};

struct Case {
    std::string name, voice;
    StepRecordings steps;
    Sound clean;  // the talk, at its level in the mix
    Fault fault = Fault::none;
};

Case make_case(const Voice& voice, size_t number, Fault fault) {
    Case out;
    const Noise room = kCaseRooms[number % std::size(kCaseRooms)];
    double level = std::array{-26.0, -34.0, -20.0}[number % 3];
    double snr = std::array{34.0, 26.0, 42.0, 20.0}[(number / 3) % 4];
    if (fault == Fault::near_noise) snr = 9.0;
    if (fault == Fault::rumble) snr = 34.0;
    if (fault == Fault::faint) level = -56.0;
    out.fault = fault;
    out.voice = voice.name;
    out.name = voice.name + ", " + reed::test::noise_name(room) + " " +
               std::to_string(static_cast<int>(snr)) + " dB, " + kFaultNames[static_cast<size_t>(fault)];
    Sound source = voice.sound;
    // A recording's own pauses are not silent; a voice that is hurt by a fault is hurt before the room.
    if (fault == Fault::boxy) source = filtered(source, {FilterType::bell, 430.0, 12.0, 1.0, 12});
    if (fault == Fault::sharp) source = filtered(source, {FilterType::high_shelf, 5000.0, 18.0, 0.71, 12});
    const auto speech = speech_level(source, kRate);
    scale(source, level - speech->active_dbfs);
    if (fault == Fault::hot) {
        float peak = 0.0f;
        for (const float v : source) peak = std::max(peak, std::abs(v));
        scale(source, -7.5 - gain_to_db(static_cast<double>(peak)));
        level = speech_level(source, kRate)->active_dbfs;
    }
    Sound talk = piece(source, 0, 12.0);
    Sound quiet = piece(source, source.size() / 2, 7.0);
    scale(quiet, -8.0);
    Sound loud = piece(source, source.size() / 4, 5.0);
    scale(loud, 7.0);
    if (fault != Fault::hot && fault != Fault::faint) {
        // Nothing clips: the loud step is as loud as the microphone allows.
        float peak = 0.0f;
        for (const float v : loud) peak = std::max(peak, std::abs(v));
        if (peak > 0.6f) scale(loud, gain_to_db(0.6 / static_cast<double>(peak)));
    }
    if (fault == Fault::pops) {
        // Gusts before every other word or so: 40 ms of noise below 60 Hz, as strong as the vowels.
        std::mt19937 random(static_cast<std::uint32_t>(number));
        std::normal_distribution<float> normal;
        Sound gusts(talk.size());
        for (size_t at = 24000; at + 9600 < gusts.size(); at += 48000) {
            for (size_t i = 0; i < 4800; ++i)
                gusts[at + i] =
                    normal(random) * static_cast<float>(std::sin(3.14159 * static_cast<double>(i) / 4800.0));
        }
        gusts = filtered(filtered(gusts, {FilterType::high_cut, 45.0, 0.0, 0.71, 24}),
                         {FilterType::low_cut, 15.0, 0.0, 0.71, 12});
        float peak = 0.0f;
        for (const float v : gusts) peak = std::max(peak, std::abs(v));
        float top = 0.0f;
        for (const float v : talk) top = std::max(top, std::abs(v));
        add(talk, gusts, gain_to_db(static_cast<double>(top / peak)) - 1.0);
    }
    if (fault == Fault::echo) {
        talk = in_room(talk, 0.9, 1.0, 5);
        quiet = in_room(quiet, 0.9, 1.0, 6);
        loud = in_room(loud, 0.9, 1.0, 7);
    }
    out.clean = talk;
    Sound silence(static_cast<size_t>(5.0 * kRate));
    Sound desk(static_cast<size_t>(6.0 * kRate));
    Sound noise = make_noise(room, 40.0, static_cast<std::uint32_t>(number + 1));
    scale(noise, level - snr - rms_db(noise));
    if (fault == Fault::hum || fault == Fault::whistle || fault == Fault::rumble) {
        for (size_t i = 0; i < noise.size(); ++i) {
            const double t = 2.0 * 3.14159265358979 * static_cast<double>(i) / kRate;
            double y = 0.0;
            if (fault == Fault::hum)
                y = std::sin(50.0 * t) + 0.7 * std::sin(100.0 * t) + 0.5 * std::sin(150.0 * t) +
                    0.3 * std::sin(250.0 * t);
            if (fault == Fault::whistle) y = std::sin(3170.0 * t);
            if (fault == Fault::rumble) break;
            noise[i] += static_cast<float>(y * db_to_gain(level - (fault == Fault::hum ? 26.0 : 32.0)));
        }
        if (fault == Fault::rumble) {
            std::mt19937 random(3);
            std::normal_distribution<float> normal;
            Sound low(noise.size());
            for (float& v : low) v = normal(random);
            low = filtered(low, {FilterType::high_cut, 50.0, 0.0, 0.71, 24});
            add(noise, low, level - 20.0 - rms_db(low));
        }
    }
    add(silence, noise, 0.0);
    add(talk, piece(noise, 240000, 12.0), 0.0);
    add(quiet, piece(noise, 820000, 7.0), 0.0);
    add(loud, piece(noise, 1160000, 5.0), 0.0);
    add(desk, piece(noise, 1400000, 6.0), 0.0);
    Sound keys = make_noise(number % 2 == 0 ? Noise::keyboard : Noise::mouse, 6.0, 9);
    float key_peak = 0.0f;
    for (const float v : keys) key_peak = std::max(key_peak, std::abs(v));
    add(desk, keys,
        level + (fault == Fault::desk ? 14.0 : -20.0) - gain_to_db(static_cast<double>(key_peak)));
    const auto put = [&](SoundcheckStep step, const Sound& x) {
        const bool two = fault == Fault::one_side || fault == Fault::inverted;
        AudioBuffer b(two ? 2 : 1, x.size());
        b[0] = x;
        if (two) {
            b[1] = x;
            for (float& v : b[1]) v *= fault == Fault::inverted ? -1.0f : 0.001f;
        }
        out.steps[step] = std::move(b);
    };
    out.steps.sample_rate = kRate;
    put(SoundcheckStep::silence, silence);
    put(SoundcheckStep::talk, talk);
    put(SoundcheckStep::quiet, quiet);
    put(SoundcheckStep::loud, loud);
    put(SoundcheckStep::noises, desk);
    return out;
}

std::set<std::string> ids_of(const SoundcheckFacts& facts) {
    std::set<std::string> out;
    for (const SoundcheckFinding& f : soundcheck_findings(facts)) out.emplace(f.finding.id);
    return out;
}

double stoi_of(const Case& c, const AudioBuffer& out, const StepSound& steps) {
    const AudioBuffer talk = steps.part(out, SoundcheckStep::talk);
    Sound clean = c.clean;
    clean.resize(talk.frames());
    return stoi(clean, talk[0], kRate).value_or(0.0);
}

}  // namespace

int main(int argc, char** argv) {
    if (argc < 2) {
        std::fprintf(stderr, "usage: %s FOLDER_OF_TALK [FOLDER_OF_TEMPLATES] [--list]\n", argv[0]);
        return 2;
    }
    const char* only = std::getenv("REED_FAULT");  // one fault by its name
    const bool list = std::strcmp(argv[argc - 1], "--list") == 0;
    if (list) --argc;
    auto voices = voices_in(argv[1]);
    std::erase_if(voices, [](const Voice& v) { return v.name == "Robot"; });  // a machine's
    std::vector<SceneEntry> templates;
    if (argc > 2) templates = SceneLibrary(argv[2]).list().scenes;

    // Faults in turn, each third case without one.
    std::vector<std::pair<size_t, Fault>> plan;
    constexpr size_t kCases = 66;
    for (size_t i = 0; i < kCases; ++i)
        plan.emplace_back(i, i % 3 == 0 ? Fault::none : static_cast<Fault>(1 + (i - i / 3 - 1) % 13));

    size_t wanted = 0;
    size_t found = 0;
    size_t stated = 0;
    size_t wrong = 0;
    size_t refused = 0;
    size_t better = 0;
    size_t compared = 0;
    std::string missed;
    std::string false_ones;
    std::vector<std::pair<double, std::string>> noise, noise_left, cut, words, loud, reduction, intelligible,
        peak, seconds, limiting;
    for (const auto& [number, fault] : plan) {
        if (only != nullptr && std::strcmp(only, kFaultNames[static_cast<size_t>(fault)]) != 0) continue;
        const Voice& voice = voices[(number * 5) % voices.size()];
        const Case c = make_case(voice, number, fault);
        const auto facts = analyse_steps(c.steps);
        if (!facts.ok()) {
            ++refused;
            std::printf("  refused: %s: %s\n", c.name.c_str(), facts.error().text().c_str());
            continue;
        }
        const auto ids = ids_of(facts.value());
        if (list && fault == Fault::echo && facts.value().echo)
            std::printf("      decay %.2f s, %zu ends\n", facts.value().echo->decay,
                        facts.value().echo->offsets);
        // What the voice gives without a fault, in silence: its own.
        const char* must = kMustFind[static_cast<size_t>(fault)];
        if (*must != 0) {
            ++wanted;
            if (ids.contains(must))
                ++found;
            else
                missed += "    " + c.name + "\n";
        }
        const Case plain = fault == Fault::none ? Case{} : make_case(voice, number, Fault::none);
        std::set<std::string> own;
        if (fault != Fault::none) {
            const auto plain_facts = analyse_steps(plain.steps);
            if (plain_facts.ok()) own = ids_of(plain_facts.value());
        }
        for (size_t f = 1; f < std::size(kMustFind); ++f) {
            if (static_cast<size_t>(fault) == f) continue;
            const std::string id = kMustFind[f];
            ++stated;
            // Which voices are boxy or sharp, and pop, is not known; only what a fault must not bring along.
            const bool intrinsic = id == "boxiness" || id == "sibilance" || id == "plosives";
            if (!ids.contains(id) || (intrinsic && (fault == Fault::none || own.contains(id)))) continue;
            // What a room has by its nature: traffic rumbles, motors sing.
            const Noise room = kCaseRooms[number % std::size(kCaseRooms)];
            if (id == "rumble" && (room == Noise::traffic || room == Noise::street)) continue;
            if (id == "tone" && (room == Noise::lathe || room == Noise::fan)) continue;
            ++wrong;
            false_ones += "    " + c.name + ": " + id + "\n";
        }
        const auto joined = StepSound::join(c.steps);
        const auto start = std::chrono::steady_clock::now();
        const auto proposal = propose_chain(facts.value(), joined.value());
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
        if (!proposal.ok()) {
            std::printf("  no proposal: %s: %s\n", c.name.c_str(), proposal.error().text().c_str());
            continue;
        }
        const ChainFigures& f = proposal.value().figures;
        const auto run = run_chain(proposal.value().chain, joined.value().sound(), kRate);
        const double before = stoi_of(c, joined.value().sound(), joined.value());
        const double lost = before - stoi_of(c, run.value().out, joined.value());
        // As low as the room allows: what is below this is not heard.
        noise.emplace_back(f.noise <= -66.0 ? std::max(15.0, f.noise_gain) : f.noise_gain, c.name);
        noise_left.emplace_back(f.noise, c.name);
        cut.emplace_back(static_cast<double>(f.loss.cut), c.name);
        words.emplace_back(static_cast<double>(f.loss.truncated), c.name);
        loud.emplace_back(std::abs(f.loudness + 16.0), c.name);
        reduction.emplace_back(f.reduction, c.name);
        limiting.emplace_back(f.limiting, c.name);
        intelligible.emplace_back(lost, c.name);
        peak.emplace_back(f.true_peak, c.name);
        seconds.emplace_back(took.count(), c.name);
        if (list) {
            std::string lines;
            for (const SoundcheckLine& l : proposal.value().lines) lines += " " + std::string(l.why.id);
            std::printf(
                "  %-44s noise %5.1f (%4.1f lower), cut %zu/%zu words %zu/%zu, %5.1f LUFS, red %.1f lim "
                "%.1f, peak %.1f, STOI %+.3f, %s:%s\n",
                c.name.c_str(), f.noise, f.noise_gain, f.loss.cut, f.loss.pieces, f.loss.truncated,
                f.loss.words, f.loudness, f.reduction, f.limiting, f.true_peak, -lost,
                std::string(proposal.value().orders[0].id).c_str(), lines.c_str());
            std::fflush(stdout);
        }
        if (std::getenv("REED_STOI") != nullptr) {
            for (size_t k = 0; k <= proposal.value().chain.stages.size(); ++k) {
                ChainSpec part = proposal.value().chain;
                part.stages.resize(k);
                const auto r = run_chain(part, joined.value().sound(), kRate);
                std::printf("      %s %+.4f\n", k == 0 ? "in" : part.stages[k - 1].id.c_str(),
                            stoi_of(c, r.value().out, joined.value()) - before);
            }
        }
        if (templates.empty()) continue;
        const auto total = [](const ChainFigures& figures, double stoi_lost) {
            return score(figures, kSoundcheckTarget) + 500.0 * std::max(0.0, stoi_lost - 0.01);
        };
        double best = 1e9;
        for (const SceneEntry& t : templates) {
            const auto strip = std::ranges::find(t.scene.desk.strips, StripRole::voice, &StripSpec::role);
            const auto made = t.scene.made_for.find(strip->id);
            if (made == t.scene.made_for.end()) continue;
            const auto fit =
                adapt_chain(strip->chain, strip->fader, made->second, c.steps[SoundcheckStep::talk], kRate);
            if (!fit.ok()) continue;
            auto t_run = run_chain(fit.value().chain, joined.value().sound(), kRate);
            if (!t_run.ok()) continue;
            const auto figures = measure_chain(fit.value().chain, joined.value());
            best = std::min(best,
                            total(figures.value(), before - stoi_of(c, t_run.value().out, joined.value())));
        }
        ++compared;
        if (total(f, lost) <= best)
            ++better;
        else
            std::printf("  a template is better: %s: %.1f against %.1f\n", c.name.c_str(), total(f, lost),
                        best);
    }
    std::printf("%zu cases on %zu voices (%zu refused)\n", plan.size(), voices.size(), refused);
    std::printf("  constructed faults found: %zu of %zu\n%s", found, wanted, missed.c_str());
    std::printf("  false statements: %zu of %zu\n%s", wrong, stated, false_ones.c_str());
    tell("dB by which noise in pauses is lower", noise, true);
    tell("dBFS of noise in pauses after the chain", noise_left, false);
    tell("pieces of quiet speech cut by 6 dB", cut, false);
    tell("words cut at their beginning or end", words, false);
    tell("LU off the target", loud, false);
    tell("dB of reduction on normal talk, least", reduction, true);
    tell("dB of reduction on normal talk, most", reduction, false);
    tell("dB of limiting on normal talk", limiting, false);
    tell("STOI lost", intelligible, false);
    tell("dBTP, highest peak", peak, false);
    tell("seconds for the proposal", seconds, false);
    if (compared > 0)
        std::printf("  better than the best of %zu templates: %zu of %zu\n", templates.size(), better,
                    compared);
    return 0;
}
