#include "soundcheck/report.h"

#include <cmath>
#include <cstdio>
#include <nlohmann/json.hpp>

#include "base/decibel.h"

namespace reed {
namespace {

using Json = nlohmann::ordered_json;

Json number(double v, double steps = 10.0) {
    return v > kSilenceDb && std::isfinite(v) ? Json(std::round(steps * v) / steps) : Json(nullptr);
}

Json number(const std::optional<double>& v) {
    return v ? number(*v) : Json(nullptr);
}

constexpr std::string_view kAmounts[] = {"low", "medium", "high"};
constexpr std::string_view kDistances[] = {"close", "right", "far"};
constexpr std::string_view kTones[] = {"neutral", "good", "warning"};

Json spectrum_json(const ThirdOctaveLevels& levels) {
    Json out = Json::array();
    for (size_t k = 0; k < kThirdOctaves; ++k)
        out.push_back({{"hz", std::round(10.0 * third_octave_centre(k)) / 10.0}, {"db", number(levels[k])}});
    return out;
}

Json facts_json(const SoundcheckFacts& f) {
    Json out;
    out["sample_rate_hz"] = f.sample_rate;
    out["speech"] = {{"active_dbfs", number(f.speech.active_dbfs)},
                     {"activity", number(f.speech.activity, 100.0)},
                     {"peak_dbfs", number(f.peak)},
                     {"loud_peak_dbfs", number(f.loud_peak)},
                     {"crest_db", number(f.crest)},
                     {"quiet_dbfs", number(f.quiet_speech)},
                     {"clipped_samples", f.clipped}};
    Json tones = Json::array();
    for (const NarrowTone& t : f.noise.tones)
        tones.push_back({{"hz", number(t.frequency)},
                         {"dbfs", number(t.level)},
                         {"prominence_db", number(t.prominence)}});
    Json hum = nullptr;
    if (f.noise.hum)
        hum = {{"hz", number(f.noise.hum->frequency, 100.0)},
               {"tones", f.noise.hum->tones},
               {"dbfs", number(f.noise.hum->level)}};
    out["noise"] = {{"dbfs", number(f.noise.level)},
                    {"a_weighted_dbfs", number(f.noise.a_weighted)},
                    {"rumble_dbfs", number(f.noise.rumble)},
                    {"below_speech_db", number(f.signal_to_noise)},
                    {"hum", hum},
                    {"tones", tones},
                    {"desk_dbfs", number(f.noises)},
                    {"spectrum_dbfs", spectrum_json(f.noise.spectrum)}};
    Json pitch = nullptr;
    if (f.pitch)
        pitch = {{"low_hz", number(f.pitch->low)},
                 {"median_hz", number(f.pitch->median)},
                 {"high_hz", number(f.pitch->high)}};
    Json resonances = Json::array();
    for (const Resonance& r : f.resonances)
        resonances.push_back({{"hz", number(r.frequency)}, {"height_db", number(r.height)}});
    out["voice"] = {{"pitch", pitch},
                    {"body_db", number(f.tone.body)},
                    {"boxiness_db", number(f.tone.boxiness)},
                    {"presence_db", number(f.tone.presence)},
                    {"hiss_db", number(f.tone.hiss)},
                    {"bandwidth_hz", number(f.bandwidth)},
                    {"sibilance_db", number(f.sibilance)},
                    {"plosives_per_minute", number(f.plosives_per_minute)},
                    {"resonances", resonances},
                    {"against_average_db", spectrum_json(f.against_average)}};
    Json echo = nullptr;
    if (f.echo)
        echo = {{"decay_s", number(f.echo->decay, 100.0)},
                {"amount", kAmounts[static_cast<size_t>(f.echo->amount)]},
                {"word_ends", f.echo->offsets}};
    out["room"] = {{"echo", echo},
                   {"distance", kDistances[static_cast<size_t>(f.distance)]},
                   {"distance_certainty", number(f.distance_certainty, 100.0)}};
    out["channels"] = {{"count", f.channels},
                       {"left_over_right_db", number(f.left_over_right)},
                       {"correlation", number(f.correlation, 100.0)}};
    return out;
}

Json figures_json(const ChainFigures& f, double rate) {
    return {{"loudness_lufs", number(f.loudness)}, {"true_peak_dbtp", number(f.true_peak)},
            {"noise_dbfs", number(f.noise)},       {"noise_lower_db", number(f.noise_gain)},
            {"desk_dbfs", number(f.noises)},       {"reduction_db", number(f.reduction)},
            {"limiting_db", number(f.limiting)},   {"words", f.loss.words},
            {"words_cut", f.loss.truncated},       {"quiet_pieces", f.loss.pieces},
            {"quiet_pieces_cut", f.loss.cut},      {"latency_ms", number(1000.0 * f.latency / rate)}};
}

Json proposal_json(const SoundcheckProposal& p, double rate) {
    Json lines = Json::array();
    for (const SoundcheckLine& line : p.lines) {
        Json values = Json::object();
        const int at = p.chain.index_of(line.stage);
        if (at >= 0) {
            const StageSpec& s = p.chain.stages[static_cast<size_t>(at)];
            for (const size_t row : line.rows) {
                const Parameter& parameter = s.stage_kind().parameters[row];
                values[std::string(parameter.id)] =
                    parameter.kind == ValueKind::choice
                        ? Json(parameter.choices[static_cast<size_t>(s.values[row])].id)
                        : Json(s.values[row]);
            }
        }
        lines.push_back({{"id", line.id},
                         {"stage", line.stage.empty() ? Json(nullptr) : Json(line.stage)},
                         {"values", values},
                         {"why", format_message(line.why)},
                         {"effect", line.effect}});
    }
    Json orders = Json::array();
    for (const OrderFigures& o : p.orders)
        orders.push_back({{"id", o.id},
                          {"stages", o.stages},
                          {"score", number(o.score, 100.0)},
                          {"figures", figures_json(o.figures, rate)}});
    return {{"target_lufs", p.target},
            {"figures", figures_json(p.figures, rate)},
            {"lines", lines},
            {"orders", orders}};
}

std::string figures_text(const ChainFigures& f, double rate) {
    char text[240];
    std::snprintf(text, sizeof text,
                  "%.1f LUFS, noise in pauses %.0f dBFS (%.0f dB lower), %zu of %zu words cut, compressor "
                  "%.1f dB, latency %.0f ms",
                  f.loudness, f.noise, f.noise_gain, f.loss.truncated, f.loss.words, f.reduction,
                  1000.0 * f.latency / rate);
    return text;
}

}  // namespace

std::string line_values(const ChainSpec& chain, const SoundcheckLine& line) {
    const int at = chain.index_of(line.stage);
    if (at < 0) return {};
    const StageSpec& s = chain.stages[static_cast<size_t>(at)];
    std::string out;
    for (const size_t row : line.rows) {
        const Parameter& p = s.stage_kind().parameters[row];
        if (!out.empty()) out += ", ";
        out += std::string(p.title) + " " + format_value(p, s.values[row]);
    }
    return out;
}

std::string line_title(const ChainSpec& chain, const SoundcheckLine& line) {
    static constexpr std::pair<std::string_view, std::string_view> kTitles[] = {
        {"low_cut", "Low cut"},       {"body", "Body"},
        {"boxiness", "Boxiness"},     {"presence", "Presence"},
        {"brightness", "Brightness"}, {"resonance", "Resonance"},
        {"tone", "Whistle"},          {"makeup", "Make-up gain"},
        {"no_gate", "Gate"},          {"no_suppression", "Suppression"},
        {"no_tone", "Equalizer"}};
    for (const auto& [id, title] : kTitles) {
        if (line.id == id) return std::string(title);
    }
    const int at = chain.index_of(line.stage);
    return at < 0 ? std::string(line.id) : chain.stages[static_cast<size_t>(at)].shown_title();
}

std::string soundcheck_json(const SoundcheckFacts& facts, const SoundcheckProposal* proposal) {
    Json findings = Json::array();
    for (const SoundcheckFinding& f : soundcheck_findings(facts))
        findings.push_back({{"id", f.finding.id},
                            {"tone", kTones[static_cast<size_t>(f.finding.tone)]},
                            {"text", format_message(f.finding)},
                            {"method", f.method},
                            {"certainty", f.certainty == Certainty::sure ? "sure" : "likely"}});
    Json out;
    out["findings"] = findings;
    out["facts"] = facts_json(facts);
    out["proposal"] = proposal == nullptr ? Json(nullptr) : proposal_json(*proposal, facts.sample_rate);
    return out.dump(2);
}

std::string soundcheck_text(const SoundcheckFacts& facts, const SoundcheckProposal* proposal) {
    std::string out = "What was measured\n";
    for (const SoundcheckFinding& f : soundcheck_findings(facts)) {
        out += f.finding.tone == FindingTone::warning ? "  ! " : "    ";
        const std::string text = format_message(f.finding);
        out += (f.certainty == Certainty::likely ? qualified(text, "likely") : text) + "\n";
    }
    if (proposal == nullptr) return out;
    out += "\nThe chain for it\n";
    for (const SoundcheckLine& line : proposal->lines) {
        const std::string values = line_values(proposal->chain, line);
        out += "    " + line_title(proposal->chain, line) + (values.empty() ? "" : ": " + values) +
               "\n        " + format_message(line.why) + "\n";
    }
    out += "\nIts order: " + proposal->orders[0].stages + "\n    " +
           figures_text(proposal->figures, facts.sample_rate) + "\n";
    if (proposal->orders.size() > 1)
        out += "Next best: " + proposal->orders[1].stages + "\n    " +
               figures_text(proposal->orders[1].figures, facts.sample_rate) + "\n";
    return out;
}

}  // namespace reed
