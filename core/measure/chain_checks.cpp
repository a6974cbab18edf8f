#include "measure/chain_checks.h"

#include <algorithm>
#include <optional>

namespace reed {
namespace {

bool is_suppression(const StageSpec& s) {
    return s.stage_kind().teaching != nullptr;
}

double makeup_of(const StageSpec& s) {
    if (s.stage_kind().lift != StageKind::Lift::makeup) return 0.0;
    return s.values[static_cast<size_t>(s.stage_kind().find(s.stage_kind().lift_row))];
}

/// The chain with stage `from` at place `to` of what remains.
ChainSpec with_moved(ChainSpec chain, size_t from, size_t to) {
    StageSpec s = std::move(chain.stages[from]);
    chain.stages.erase(chain.stages.begin() + static_cast<std::ptrdiff_t>(from));
    chain.stages.insert(chain.stages.begin() + static_cast<std::ptrdiff_t>(to), std::move(s));
    return chain;
}

class Checks {
  public:
    Checks(const ChainSpec& chain, const LevelReport& levels) : chain_(chain), levels_(levels) {
        for (size_t i = 0; i < chain.stages.size(); ++i) {
            if (!chain.stages[i].bypass) active_.push_back(i);
        }
    }

    std::vector<ChainCheck> run(bool limited) {
        if (limited) check_limiter();
        check_suppression();
        if (levels_.taps.size() == chain_.stages.size() + 1) check_levels();
        return std::move(out_);
    }

  private:
    const StageSpec& at(size_t i) const { return chain_.stages[i]; }
    void add(std::string_view id, std::string_view brief, std::string_view text, std::string_view words,
             ChainSpec mended, std::vector<Quantity> quantities = {}) {
        out_.push_back(
            {{id, FindingTone::warning, text, std::move(quantities), {}}, brief, words, std::move(mended)});
    }

    void check_limiter() {
        const LimiterPlace place = limiter_place(chain_);
        if (place == LimiterPlace::missing) {
            const auto kind = std::ranges::find_if(stage_kinds(), [](const StageKind* k) { return k->lid; });
            if (kind == stage_kinds().end() || chain_.stages.size() >= kMaxStages) return;
            ChainSpec mended = chain_;
            mended.stages.push_back(new_stage(mended, **kind));
            add("no_limiter", "No limiter.", "No limiter: a shout or a bump can clip.", "Add limiter",
                std::move(mended));
        } else if (place == LimiterPlace::not_last) {
            const auto limiter = std::ranges::find_if(active_.rbegin(), active_.rend(),
                                                      [this](size_t i) { return at(i).stage_kind().lid; });
            add("limiter_not_last", "The limiter isn't last.",
                "The limiter isn't last: later stages can exceed its ceiling.", "Move to end",
                with_moved(chain_, *limiter, chain_.stages.size() - 1));
        }
    }

    void check_suppression() {
        std::optional<size_t> first;
        for (const size_t i : active_) {
            if (!is_suppression(at(i))) continue;
            if (first) {
                ChainSpec mended = chain_;
                mended.stages[i].bypass = true;
                add("suppression_twice", "Two suppressions.",
                    "Two suppressions work on the same noise, and twice on your voice.", "Bypass second",
                    std::move(mended));
                break;
            }
            first = i;
        }
        if (!first) return;
        for (const size_t i : active_) {
            if (i >= *first) break;
            if (const double db = makeup_of(at(i)); db >= 1.0) {
                add("suppression_after_makeup", "Suppression after make-up.",
                    "The suppression comes after {0} dB of make-up gain, where the noise is louder and moves "
                    "with "
                    "your voice.",
                    "Move before", with_moved(chain_, *first, i), {{db, Unit::decibel, 0}});
                return;
            }
        }
        for (const size_t i : active_) {
            if (i >= *first) break;
            if (!at(i).stage_kind().closes_in_pauses) continue;
            add("gate_before_suppression", "Gate before suppression.",
                "A gate stands before the suppression, where noise is closest to your voice.", "Move behind",
                with_moved(chain_, i, *first));
            return;
        }
    }

    void check_levels() {
        for (const size_t i : active_) {
            if (at(i).stage_kind().lid && levels_.taps[i].voice_known) check_limited_speech(i);
        }
        const TapLevels& out = levels_.taps.back();
        if (!out.room_known || out.room <= kAudibleNoise) return;
        for (const size_t i : active_) {
            if (check_lifted_noise(i, out.room)) return;
        }
    }

    /// Speech that is evened out more before the limiter reaches it less, at the same loudness.
    void check_limited_speech(size_t limiter) {
        const double typical = levels_.stages[limiter].usual;
        if (typical < kLimiterOnSpeech) return;
        ChainSpec mended = chain_;
        std::string_view words;
        for (size_t k = limiter; k-- > 0 && words.empty();) {
            const StageKind& kind = at(k).stage_kind();
            if (at(k).bypass || kind.lift != StageKind::Lift::makeup) continue;
            for (size_t row = 0; row < kind.parameters.size(); ++row) {
                const Parameter& p = kind.parameters[row];
                double& value = mended.stages[k].values[row];
                const double lower = round_value(p, std::max(p.minimum, value - 2.0 * typical));
                if (p.mark != DiagramMark::threshold || lower == value) continue;
                value = lower;
                words = "Compress more";
            }
        }
        add("limiter_on_speech", "Limiter reduces speech by {0} dB.",
            "The limiter reduces ordinary speech by {0} dB. It is for peaks: lower the threshold of the "
            "compressor, or the "
            "loudness target.",
            words, std::move(mended), {{typical, Unit::decibel, 0}});
    }

    bool check_lifted_noise(size_t i, double noise) {
        const TapLevels& in = levels_.taps[i];
        if (makeup_of(at(i)) < 1.0 || !in.room_known || in.room > kAudibleNoise) return false;
        ChainSpec mended = chain_;
        std::string_view words;
        const auto kind =
            std::ranges::find_if(stage_kinds(), [](const StageKind* k) { return k->teaching != nullptr; });
        const bool suppressed =
            std::ranges::any_of(active_, [this](size_t k) { return is_suppression(at(k)); });
        if (!suppressed && kind != stage_kinds().end() && chain_.stages.size() < kMaxStages) {
            mended.stages.insert(mended.stages.begin(), new_stage(mended, **kind));
            words = "Add suppression";
        }
        add("makeup_lifts_noise", "Make-up lifts noise to {1} dBFS.",
            "Make-up gain lifts the background noise from {0} to {1} dBFS. Use more suppression, or a gate.",
            words, std::move(mended), {{in.room, Unit::dbfs, 0}, {noise, Unit::dbfs, 0}});
        return true;
    }

    const ChainSpec& chain_;
    const LevelReport& levels_;
    std::vector<size_t> active_;
    std::vector<ChainCheck> out_;
};

}  // namespace

LimiterPlace limiter_place(const ChainSpec& chain) {
    bool limited = false;
    bool last = false;
    for (const StageSpec& s : chain.stages) {
        if (s.bypass) continue;
        last = s.stage_kind().lid;
        limited = limited || last;
    }
    return !limited ? LimiterPlace::missing : last ? LimiterPlace::last : LimiterPlace::not_last;
}

ChainSpec with_input_gain(ChainSpec chain, double db) {
    const auto kind = std::ranges::find(stage_kinds(), std::string_view("gain"), &StageKind::id);
    const bool first =
        !chain.stages.empty() && chain.stages.front().kind == "gain" && !chain.stages.front().bypass;
    if (!first) {
        if (chain.stages.size() >= kMaxStages) return chain;
        chain.stages.insert(chain.stages.begin(), new_stage(chain, **kind));
    }
    const auto row = static_cast<size_t>((*kind)->find("gain"));
    double& value = chain.stages.front().values[row];
    const Parameter& p = (*kind)->parameters[row];
    value = round_value(p, std::clamp(value + db, p.minimum, p.maximum));
    return chain;
}

std::optional<size_t> silencing_stage(const LevelReport& levels) {
    const auto& taps = levels.taps;
    if (taps.size() < 2 || !taps.back().voice_known || taps.back().voice > kSpeechGone) return std::nullopt;
    for (size_t i = 0; i + 1 < taps.size(); ++i) {
        if (taps[i].voice > kSpeechHeard && taps[i + 1].voice < kSpeechGone) return i;
    }
    return std::nullopt;
}

std::vector<ChainCheck> chain_checks(const ChainSpec& chain, const LevelReport& levels, bool limited) {
    return Checks(chain, levels).run(limited);
}

}  // namespace reed
