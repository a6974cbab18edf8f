#include "model/soundcheck/output_advisor.h"

#include <QPointer>
#include <algorithm>
#include <cmath>
#include <utility>

#include "model/soundcheck/advice_log.h"
#include "model/soundcheck/soundcheck_follow_up.h"
#include "model/soundcheck/soundcheck_model.h"
#include "model/strips/mixer_model.h"
#include "model/strips/voice_loudness_model.h"
#include "model/takes/takes_model.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr size_t kHeard = 20;       // of half a second
constexpr int kWait = 7;            // of them, until the three seconds before a change are over
constexpr int kEvery = 480;         // ms
constexpr int kLasts = 6;           // of kEvery: how long a problem must last
constexpr int kShortTitle = 12;     // characters that fit into the line
constexpr double kAtTheMark = 1.5;  // LU, for a voice among several

}  // namespace

OutputAdvisor::OutputAdvisor(StripModel& strip, const AdviceSources& sources)
    : QObject(&strip), strip_(strip), from_(sources), preferences_(strip.context().preferences) {
    event_done_.setSingleShot(true);
    event_done_.setInterval(0);
    connect(&event_done_, &QTimer::timeout, this, [this] {
        if (std::exchange(changed_again_, false)) update();
    });
    connect(&strip_.chainModel(), &ChainModel::changed, this, &OutputAdvisor::measureAgain);
    connect(&strip_.input(), &InputController::inputChanged, this, [this] {
        shown_.turn = nullptr;  // another voice, perhaps
        measureAgain();
    });
    connect(&preferences_, &Preferences::targetChanged, this, &OutputAdvisor::update);
    connect(&preferences_, &Preferences::adviceChanged, this, &OutputAdvisor::update);
    connect(&strip_, &StripModel::readingsChanged, this, &OutputAdvisor::tick);
}

void OutputAdvisor::measureAgain() {
    heard_.clear();
    wait_ = kWait;
    if (shown_.turn == nullptr)
        updateOnce();
    else if (!changed_.isValid())
        changed_.start();
}

/// At once for the first change of an event, and once more for all others of it.
void OutputAdvisor::updateOnce() {
    changed_again_ = event_done_.isActive();
    if (changed_again_) return;
    event_done_.start();
    update();
}

void OutputAdvisor::tick() {
    if (since_.isValid() && since_.elapsed() < kEvery) return;
    since_.start();
    ++ticks_;
    update();
}

void OutputAdvisor::update() {
    if (changed_.isValid() && changed_.elapsed() < kStays) return;
    changed_.invalidate();
    const Advice before = std::exchange(shown_, find());
    log(before);
    if (!(before == shown_)) emit changed();
}

OutputAdvisor::Advice OutputAdvisor::find() {
    // Of what loops nothing goes out.
    if (strip_.liveStrip().role() != StripRole::voice || from_.takes.strip() == &strip_) return {};
    const std::vector<Advice> problems = lastingProblems();
    const auto first = [&](bool by_one_press) {
        return std::ranges::find_if(problems,
                                    [&](const Advice& a) { return a.remedy.isEmpty() != by_one_press; });
    };
    if (const auto found = first(true); found != problems.end()) return *found;
    const Found loud = from_.voices.now().empty() ? loudness() : loudnessOfVoices();
    if (loud && loud->tone == FindingTone::warning) return *loud;
    // What no single change mends must not hide what one does.
    if (const auto found = first(false); found != problems.end()) return *found;
    return loud.value_or(Advice{});
}

/// Problems beside the loudness, the most important first, that are not hidden and have been there for some
/// time: no shout in between, nor a stage on its way to another place.
std::vector<OutputAdvisor::Advice> OutputAdvisor::lastingProblems() {
    std::vector<Advice> all = chainProblems();
    if (Found found = loudspeakers()) all.insert(all.begin(), std::move(*found));
    if (Found found = silentOutput()) all.insert(all.begin(), std::move(*found));
    if (Found found = sinceSoundcheck()) all.push_back(std::move(*found));
    std::erase_if(since_tick_, [&](const auto& since) {
        return std::ranges::none_of(all, [&](const Advice& a) { return a.id == since.first; });
    });
    std::erase_if(all, [this](const Advice& a) {
        const int since = since_tick_.try_emplace(a.id, ticks_).first->second;
        return ticks_ - since < kLasts || preferences_.hidesAdvice(a.id);
    });
    return all;
}

OutputAdvisor::Found OutputAdvisor::silentOutput() const {
    if (strip_.context().mute.on() || strip_.chainModel().spec().mute)
        return std::nullopt;  // that is shown already
    const auto stages = strip_.chainModel().chain().stages.size();
    if (const auto stage = strip_.levelsFit() ? silencing_stage(strip_.levels()) : std::nullopt;
        stage && *stage < stages) {
        const StageSpec& s = strip_.chainModel().chain().stages[*stage];
        const QString title = QString::fromStdString(s.shown_title());
        return Advice{"output_silent",
                      FindingTone::warning,
                      title.size() <= kShortTitle ? tr("%1 lets no speech through.").arg(title)
                                                  : tr("A stage lets no speech through."),
                      tr("Your voice reaches “%1”, but doesn't leave it. The output is silent.").arg(title),
                      tr("Bypass it"),
                      [this, id = s.id] { strip_.chainModel().setBypass(id, true); }};
    }
    const auto& taps = strip_.levels().taps;
    const bool talks = !taps.empty() && taps.front().voice_known;
    if (strip_.chainModel().spec().fader > kFaderMinDb || !talks) return std::nullopt;
    return Advice{"fader_down",
                  FindingTone::warning,
                  tr("The fader is all the way down."),
                  tr("You speak, but the fader of this strip is at silence."),
                  tr("Fader to 0 dB"),
                  [this] { strip_.chainModel().setFader(0.0); }};
}

OutputAdvisor::Found OutputAdvisor::loudspeakers() const {
    const MonitorController& monitor = strip_.monitoring();
    if (monitor.settings().source == MonitorSource::off || !monitor.toLoudspeakers() ||
        !strip_.audio().outputUsed())
        return std::nullopt;
    return Advice{"monitor_on_loudspeakers",
                  FindingTone::warning,
                  tr("Monitor on loudspeakers."),
                  tr("The monitor plays on %1 while an app records you: the microphone picks it up.")
                      .arg(monitor.sinkTitle()),
                  tr("Monitor off"),
                  [this] { strip_.monitoring().toggle(); }};
}

/// The whole chain comes before its loudness, which means little where that is wrong.
std::vector<OutputAdvisor::Advice> OutputAdvisor::chainProblems() const {
    const bool single = from_.mixer.count(StripRole::voice) == 1;
    std::vector<Advice> out;
    for (const ChainCheck& c : chain_checks(strip_.chainModel().chain(), strip_.levels(), single)) {
        Advice& a =
            out.emplace_back(Advice{std::string(c.finding.id), FindingTone::warning,
                                    Words::spelt(c.brief, c.finding.quantities), Words::of(c.finding)});
        if (c.words.empty()) continue;
        a.remedy = Words::spelt(c.words, {});
        // By the chain as it is when it is pressed: the offer outlasts a change for a moment.
        a.turn = [this, single, id = a.id, label = a.remedy] {
            for (const ChainCheck& now : chain_checks(strip_.chainModel().chain(), strip_.levels(), single)) {
                if (now.finding.id == id) return strip_.chainModel().setChain(now.mended, label);
            }
        };
    }
    return out;
}

OutputAdvisor::Found OutputAdvisor::sinceSoundcheck() const {
    const SoundcheckFollowUp& follow_up = from_.follow_up;
    const auto finding = follow_up.finding();
    if (!finding) return std::nullopt;
    const double by = finding->quantities.front().value;
    Advice out{std::string(finding->id), FindingTone::warning, {}, Words::of(*finding)};
    if (finding->id == "gain_changed") {
        const double gain = -follow_up.gainChange();
        out.words = gain > 0.0 ? tr("Mic %1 dB quieter than checked.").arg(by, 0, 'f', 0)
                               : tr("Mic %1 dB louder than checked.").arg(by, 0, 'f', 0);
        out.remedy = tr("Gain %1%2 dB").arg(gain > 0.0 ? "+" : "").arg(gain, 0, 'f', 0);
        out.turn = [this, label = out.remedy] { from_.follow_up.compensateGain(label); };
        return out;
    }
    const bool farther = finding->id == "farther";
    out.words = farther ? tr("Farther from the mic than checked.")
                        : tr("Noise %1 dB louder than checked.").arg(by, 0, 'f', 0);
    out.remedy = tr("Check again");
    out.turn = [this, step = farther ? SoundcheckStep::talk : SoundcheckStep::silence] {
        const QString why = from_.soundcheck.repeat(step);
        if (!why.isEmpty()) strip_.notices().warn(why);
    };
    return out;
}

OutputAdvisor::Found OutputAdvisor::loudness() {
    const LoudnessReading& feed = from_.mixer.main().readings().feed();
    if (wait_ > 0) {
        --wait_;
    } else if (strip_.levels().speaking && feed.short_term) {
        heard_.push_back(*feed.short_term);
        if (heard_.size() > kHeard) heard_.pop_front();
    }
    std::optional<double> typical;
    if (heard_.size() >= kHeard / 4) {
        std::vector<double> sorted(heard_.begin(), heard_.end());
        std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2),
                         sorted.end());
        typical = sorted[sorted.size() / 2];
    }
    if (!strip_.levelsFit()) return std::nullopt;
    const FeedFinding found =
        feed_finding(strip_.chainModel().chain(), strip_.levels(), typical, preferences_.target());
    Advice out{{}, found.finding.tone, Words::of(found.finding)};
    const auto& stages = strip_.chainModel().chain().stages;
    if (!found.finding.proposal || found.stage >= stages.size()) return out;
    out.remedy = Words::of(*found.finding.proposal);
    out.turn = [this, id = stages[found.stage].id, proposal = *found.finding.proposal, words = out.remedy] {
        strip_.chainModel().apply(id, proposal, words);
    };
    return out;
}

/// Each voice has to meet the target alone; the one farthest from it is named.
OutputAdvisor::Found OutputAdvisor::loudnessOfVoices() const {
    const double target = preferences_.target();
    const VoiceLoudnessModel::Voice* worst = nullptr;
    double off = 0.0;
    for (const auto& v : from_.voices.now()) {
        if (!v.loudness.lufs || v.loudness.seconds < VoiceLoudnessModel::kEnough) continue;
        const double by = target - *v.loudness.lufs;
        if (worst == nullptr || std::abs(by) > std::abs(off)) {
            worst = &v;
            off = by;
        }
    }
    if (worst == nullptr) return std::nullopt;
    if (std::abs(off) <= kAtTheMark) return Advice{{}, FindingTone::good, tr("All voices are on target.")};
    StripModel* who = worst->strip;
    const QString words = off > 0.0 ? tr("%1: %2 LU too quiet.") : tr("%1: %2 LU too loud.");
    Advice out{{}, FindingTone::warning, words.arg(who->name()).arg(std::abs(off), 0, 'f', 1)};
    const double now = who->chainModel().spec().fader;
    const double to = std::clamp(std::round(2.0 * (now + off)) / 2.0, kFaderMinDb, kFaderMaxDb);
    if (std::abs(to - now) < 0.5) return out;
    out.remedy = tr("Fader %1%2 dB").arg(to > now ? "+" : "").arg(to - now, 0, 'f', 1);
    out.turn = [guarded = QPointer<StripModel>(who), to] {
        if (guarded == nullptr) return;  // its strip has been removed
        ChainModel& chain = guarded->chainModel();
        chain.closeStep();
        chain.setFader(to);
        chain.closeStep();
    };
    return out;
}

void OutputAdvisor::turn() {
    const Advice pressed = shown_;
    shown_.turn = nullptr;
    changed_.invalidate();
    if (!pressed.turn) return;
    from_.log.end(pressed.id, strip_.name(), true);
    pressed.turn();
}

void OutputAdvisor::hide() {
    if (!shown_.id.empty()) preferences_.hideAdvice(std::string(shown_.id));
}

/// Notes what is shown now, and that what was shown `before` is not any more.
void OutputAdvisor::log(const Advice& before) {
    if (before.id == shown_.id) return;
    AdviceLog& log = from_.log;
    if (!before.id.empty()) log.end(before.id, strip_.name(), false);
    if (!shown_.id.empty())
        log.begin(shown_.id, strip_.name(), shown_.details.isEmpty() ? shown_.words : shown_.details);
}

}  // namespace reed::ui
