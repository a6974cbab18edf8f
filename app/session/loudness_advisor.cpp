#include "session/loudness_advisor.h"

#include <QPointer>
#include <algorithm>
#include <cmath>
#include <utility>

#include "session/session.h"
#include "session/takes_model.h"
#include "session/voice_loudness_model.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr size_t kHeard = 20;       // of half a second
constexpr int kWait = 7;            // of them, until the three seconds before a change are over
constexpr int kEvery = 480;         // ms
constexpr int kLasts = 6;           // judgements in a row, half a second each
constexpr double kAtTheMark = 1.5;  // LU, for a voice among several

}  // namespace

LoudnessAdvisor::LoudnessAdvisor(Session& session) : QObject(&session), session_(session) {
    connect(&session_.strip(), &ChainModel::changed, this, &LoudnessAdvisor::measureAgain);
    connect(&session_.devices(), &Devices::inputChanged, this, [this] {
        turn_ = nullptr;  // another voice, perhaps
        measureAgain();
    });
    connect(&session_.preferences(), &Preferences::targetChanged, this, &LoudnessAdvisor::judge);
    connect(&session_, &Session::readingsChanged, this, &LoudnessAdvisor::follow);
}

void LoudnessAdvisor::measureAgain() {
    heard_.clear();
    wait_ = kWait;
    if (turn_ == nullptr)
        judge();
    else if (!changed_.isValid())
        changed_.start();
}

void LoudnessAdvisor::follow() {
    if (since_.isValid() && since_.elapsed() < kEvery) return;
    since_.start();
    judge();
}

void LoudnessAdvisor::judge() {
    if (changed_.isValid() && changed_.elapsed() < kStays) return;
    changed_.invalidate();
    const auto before = std::tuple(tone_, words_, remedy_);
    tone_ = FindingTone::neutral;
    words_.clear();
    details_.clear();
    remedy_.clear();
    turn_ = nullptr;
    // Of what loops nothing goes out.
    const bool loops = session_.takes().strip() == &session_;
    if (session_.seat().role() == StripRole::voice && !loops)
        session_.voices().now().empty() ? judgeFeed() : judgeVoices();
    if (before != std::tuple(tone_, words_, remedy_)) emit changed();
}

void LoudnessAdvisor::judgeFeed() {
    const LoudnessReading& feed = session_.feed();
    if (wait_ > 0) {
        --wait_;
    } else if (session_.levels().speaking && feed.short_term) {
        heard_.push_back(*feed.short_term);
        if (heard_.size() > kHeard) heard_.pop_front();
    }
    std::optional<double> loudness;
    if (heard_.size() >= kHeard / 4) {
        std::vector<double> sorted(heard_.begin(), heard_.end());
        std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2),
                         sorted.end());
        loudness = sorted[sorted.size() / 2];
    }
    if (!session_.levelsFit() || adviseChain()) return;
    propose(
        feed_finding(session_.strip().chain(), session_.levels(), loudness, session_.preferences().target()));
}

/// The whole chain comes first: where it is wrong, its loudness means little. False if it is right.
bool LoudnessAdvisor::adviseChain() {
    if (!session_.isFirst()) return false;
    const bool single = session_.desk().count(StripRole::voice) == 1;
    const auto checks = chain_checks(session_.strip().chain(), session_.levels(), single);
    const auto shown = std::ranges::find_if(checks, [this](const ChainCheck& c) {
        // Figures of a moment must last before they are said: a shout in between is none.
        return ++seen_[std::string(c.finding.id)] >= kLasts;
    });
    std::erase_if(seen_, [&](const auto& seen) {
        return std::ranges::none_of(checks, [&](const ChainCheck& c) { return c.finding.id == seen.first; });
    });
    if (shown == checks.end()) return false;
    tone_ = FindingTone::warning;
    words_ = Words::spelt(shown->brief, shown->finding.quantities);
    details_ = Words::of(shown->finding);
    remedy_ = Words::spelt(shown->words, {});
    turn_ = [this, chain = shown->mended, label = remedy_] { session_.strip().setChain(chain, label); };
    return true;
}

void LoudnessAdvisor::propose(const FeedFinding& found) {
    tone_ = found.finding.tone;
    words_ = Words::of(found.finding);
    const auto& stages = session_.strip().chain().stages;
    if (!found.finding.proposal || found.stage >= stages.size()) return;
    remedy_ = Words::of(*found.finding.proposal);
    turn_ = [this, id = stages[found.stage].id, proposal = *found.finding.proposal, words = remedy_] {
        session_.strip().apply(id, proposal, words);
    };
}

/// Each voice is to be at the mark by itself; the one that is farthest from it is told.
void LoudnessAdvisor::judgeVoices() {
    const double target = session_.preferences().target();
    const VoiceLoudnessModel::Voice* worst = nullptr;
    double off = 0.0;
    for (const auto& v : session_.voices().now()) {
        if (!v.loudness.lufs || v.loudness.seconds < VoiceLoudnessModel::kEnough) continue;
        const double by = target - *v.loudness.lufs;
        if (worst == nullptr || std::abs(by) > std::abs(off)) {
            worst = &v;
            off = by;
        }
    }
    if (worst == nullptr) return;
    Session* who = worst->strip;
    if (std::abs(off) <= kAtTheMark) {
        tone_ = FindingTone::good;
        words_ = tr("All voices are on target.");
        return;
    }
    tone_ = FindingTone::warning;
    words_ = off > 0.0 ? tr("%1: %2 LU too quiet.") : tr("%1: %2 LU too loud.");
    words_ = words_.arg(who->stripName()).arg(std::abs(off), 0, 'f', 1);
    const double now = who->strip().spec().fader;
    const double to = std::clamp(std::round(2.0 * (now + off)) / 2.0, kFaderMinDb, kFaderMaxDb);
    if (std::abs(to - now) < 0.5) return;
    remedy_ = tr("Fader %1%2 dB").arg(to > now ? "+" : "").arg(to - now, 0, 'f', 1);
    turn_ = [guarded = QPointer<Session>(who), to] {
        if (guarded == nullptr) return;  // its strip has been removed
        ChainModel& strip = guarded->strip();
        strip.closeStep();
        strip.setFader(to);
        strip.closeStep();
    };
}

void LoudnessAdvisor::turn() {
    const auto does = std::exchange(turn_, nullptr);
    changed_.invalidate();
    if (does) does();
}

}  // namespace reed::ui
