#include "mixer/mixer_spec.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace reed {

std::string_view role_id(StripRole role) {
    return role == StripRole::voice ? "voice" : "programme";
}

std::string StripSpec::shown_name() const {
    if (!name.empty()) return name;
    return role == StripRole::voice ? "Voice" : "App audio";
}

size_t MixerSpec::count(StripRole role) const {
    return static_cast<size_t>(std::ranges::count(strips, role, &StripSpec::role));
}

StripSpec new_strip(const MixerSpec& desk, StripRole role, ChainSpec chain) {
    StripSpec out;
    out.role = role;
    const bool voice = role == StripRole::voice;
    const std::string base = voice ? "guest" : "programme";
    const std::string title = voice ? "Guest" : "App audio";
    const auto named = [&](const std::string& name) {
        return std::ranges::any_of(desk.strips, [&](const StripSpec& s) { return s.shown_name() == name; });
    };
    out.id = base;
    out.name = title;
    for (int n = 2; desk.index_of(out.id) >= 0 || named(out.name); ++n) {
        out.id = base + "_" + std::to_string(n);
        out.name = title + " " + std::to_string(n);
    }
    const auto used = [&](int colour) {
        return std::ranges::any_of(desk.strips, [&](const StripSpec& s) { return s.colour == colour; });
    };
    while (out.colour + 1 < kStripColours && used(out.colour)) ++out.colour;
    out.chain = std::move(chain);
    return out;
}

MixerSpec without_transients(MixerSpec desk) {
    for (StripSpec& s : desk.strips) s.chain = without_transients(std::move(s.chain));
    return desk;
}

bool same_but_transients(const StripSpec& a, const StripSpec& b) {
    const auto& [id, name, role, colour, fader, mute, chain, extra] = a;  // all fields
    return id == b.id && name == b.name && role == b.role && colour == b.colour && fader == b.fader &&
           mute == b.mute && extra == b.extra && same_but_transients(chain, b.chain);
}

std::vector<size_t> sidechain_sources(const MixerSpec& desk, size_t index) {
    std::vector<size_t> out;
    const auto add = [&](size_t other) {
        if (std::ranges::find(out, other) == out.end()) out.push_back(other);
    };
    for (const StageSpec& s : desk.strips[index].chain.stages) {
        if (s.key.empty()) continue;
        for (size_t i = 0; i < desk.strips.size(); ++i) {
            const bool one_of_all = s.key == kAllVoices && desk.strips[i].role == StripRole::voice;
            if (one_of_all || desk.strips[i].id == s.key) add(i);
        }
    }
    return out;
}

std::vector<size_t> processing_order(const MixerSpec& desk) {
    std::vector<size_t> out;
    std::vector<bool> done(desk.strips.size());
    const auto waits = [&](size_t i) {
        return std::ranges::any_of(sidechain_sources(desk, i), [&](size_t k) { return !done[k]; });
    };
    const auto is_voice = [&](size_t i) { return desk.strips[i].role == StripRole::voice; };
    const auto voice_wants = [&](size_t i) {
        for (size_t v = 0; v < desk.strips.size(); ++v) {
            const auto wanted = sidechain_sources(desk, v);
            if (is_voice(v) && std::ranges::find(wanted, i) != wanted.end()) return true;
        }
        return false;
    };
    const auto next = [&](const auto& fits) -> std::optional<size_t> {
        for (size_t i = 0; i < desk.strips.size(); ++i) {
            if (!done[i] && fits(i) && !waits(i)) return i;
        }
        return std::nullopt;
    };
    while (out.size() < desk.strips.size()) {
        auto found = next(is_voice);
        if (!found) found = next(voice_wants);
        if (!found) found = next([](size_t) { return true; });
        if (!found) return {};
        done[*found] = true;
        out.push_back(*found);
    }
    return out;
}

namespace {

void strip_problems(const MixerSpec& desk, size_t i, const std::string& where, std::vector<Error>& out) {
    const StripSpec& s = desk.strips[i];
    if (s.id.empty() || s.id == kAllVoices)
        out.push_back({"\"" + s.id + "\" can't be a strip's id.", where + "id", "Choose another one."});
    else if (desk.index_of(s.id) != static_cast<int>(i))
        out.push_back({"The id \"" + s.id + "\" is used twice.", where + "id", "Give each strip its own."});
    if (!(s.fader >= kFaderMinDb && s.fader <= kFaderMaxDb))
        out.push_back({"is outside -60 to 12 dB.", where + "fader", ""});
    if (s.colour < 0 || s.colour >= kStripColours) {
        out.push_back({"is an unknown colour: " + std::to_string(s.colour) + "; use 0 to " +
                           std::to_string(kStripColours - 1) + ".",
                       where + "colour", ""});
    }
    for (Error e : chain_problems(s.chain)) {
        e.where = where + e.where;
        out.push_back(std::move(e));
    }
    for (size_t k = 0; k < s.chain.stages.size(); ++k) {
        const StageSpec& stage = s.chain.stages[k];
        if (stage.key.empty() || stage.key == kAllVoices || desk.index_of(stage.key) >= 0) continue;
        out.push_back({"There is no strip \"" + stage.key + "\" for the sidechain.",
                       where + "stages[" + std::to_string(k) + "].key",
                       "Use the id of a strip or \"voices\", or leave it out to use the own signal."});
    }
}

}  // namespace

std::vector<Error> mixer_problems(const MixerSpec& desk, bool places) {
    std::vector<Error> out;
    const auto too_many = [&](StripRole role, size_t most) {
        if (const size_t n = desk.count(role); n > most) {
            out.push_back({"has " + std::to_string(n) + " strips of the role \"" +
                               std::string(role_id(role)) + "\"; at most " + std::to_string(most) +
                               " can be used.",
                           "strips", "Remove some."});
        }
    };
    too_many(StripRole::voice, kMaxVoices);
    too_many(StripRole::programme, kMaxAppAudioStrips);
    if (desk.count(StripRole::voice) == 0)
        out.push_back({"has no voice.", "strips", "Add a strip with the role \"voice\"."});
    for (size_t i = 0; i < desk.strips.size(); ++i)
        strip_problems(desk, i, places ? "strips[" + std::to_string(i) + "]." : "", out);
    if (!(desk.target_distance_min >= 0.0 && desk.target_distance_max <= 40.0 &&
          desk.target_distance_min <= desk.target_distance_max)) {
        out.push_back({"must be two values from 0 to 40 LU, the lower one first.", "distance", ""});
    }
    if (out.empty() && processing_order(desk).empty()) {
        out.push_back(
            {"The strips' sidechains form a loop.", "strips", "Clear the sidechain of one of them."});
    }
    return out;
}

}  // namespace reed
