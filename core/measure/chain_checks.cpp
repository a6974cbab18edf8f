#include "measure/chain_checks.h"

#include <algorithm>
#include <cmath>
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
            if (!chain.stages[i].bypass && !chain.stages[i].missing()) active_.push_back(i);
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
        std::optional<size_t> limiter;
        for (const size_t i : active_) {
            if (at(i).stage_kind().lid) limiter = i;
        }
        if (!limiter) {
            for (const StageKind* kind : stage_kinds()) {
                if (!kind->lid || chain_.stages.size() >= kMaxStages) continue;
                ChainSpec mended = chain_;
                mended.stages.push_back(new_stage(mended, *kind));
                add("no_limiter", "No limiter.", "No limiter: a shout or a bump can clip.", "Add limiter",
                    std::move(mended));
                break;
            }
            return;
        }
        if (active_.back() == *limiter) return;
        add("limiter_not_last", "The limiter isn't last.",
            "The limiter isn't last: later stages can exceed its ceiling.", "Move to end",
            with_moved(chain_, *limiter, chain_.stages.size() - 1));
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
        const TapLevels& out = levels_.taps.back();
        for (const size_t i : active_) {
            const double typical = levels_.stages[i].usual;
            if (!at(i).stage_kind().lid || !levels_.taps[i].voice_known || typical < kLimiterOnSpeech)
                continue;
            // The last gain before it is what lifts speech into it.
            for (size_t k = i; k-- > 0;) {
                const StageKind& kind = at(k).stage_kind();
                if (at(k).bypass || kind.lift == StageKind::Lift::none) continue;
                const auto row = static_cast<size_t>(kind.find(kind.lift_row));
                ChainSpec mended = chain_;
                double& value = mended.stages[k].values[row];
                value = round_value(kind.parameters[row],
                                    std::max(kind.parameters[row].minimum, value - typical));
                add("limiter_on_speech", "Limiter reduces speech by {0} dB.",
                    "The limiter reduces ordinary speech by {0} dB; it is for peaks.", "Lower gain",
                    std::move(mended), {{typical, Unit::decibel, 0}});
                break;
            }
        }
        if (!out.room_known || out.room <= kNoiseHeard) return;
        for (const size_t i : active_) {
            const double db = makeup_of(at(i));
            const double before = levels_.taps[i].room;
            if (db < 1.0 || !levels_.taps[i].room_known || before > kNoiseHeard) continue;
            ChainSpec mended = chain_;
            const StageKind& kind = at(i).stage_kind();
            const auto row = static_cast<size_t>(kind.find(kind.lift_row));
            const double by = std::min(db, out.room - kNoiseHeard);
            mended.stages[i].values[row] = round_value(kind.parameters[row], db - by);
            add("makeup_lifts_noise", "Make-up lifts noise to {1} dBFS.",
                "Make-up gain lifts the background noise from {0} to {1} dBFS.", "Lower make-up",
                std::move(mended), {{before, Unit::dbfs, 0}, {out.room, Unit::dbfs, 0}});
            return;
        }
    }

    const ChainSpec& chain_;
    const LevelReport& levels_;
    std::vector<size_t> active_;
    std::vector<ChainCheck> out_;
};

}  // namespace

std::vector<ChainCheck> chain_checks(const ChainSpec& chain, const LevelReport& levels, bool limited) {
    return Checks(chain, levels).run(limited);
}

}  // namespace reed
