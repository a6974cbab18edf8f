// The chain in work: its values, undo, memories and focus.
#pragma once

#include <QObject>
#include <QTimer>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "chain/chain_runner.h"
#include "model/shared/history.h"
#include "model/shared/notifications.h"
#include "scenes/adaptation.h"

namespace reed::ui {

/// The chain of one strip, as edited in the window. Each change creates a new state, passes it to the runner
/// and is one undo step. References from chain() and stage() stay valid until the current event ends; keep
/// state() for longer.
class ChainModel final : public QObject {
    Q_OBJECT
  public:
    /// `runner` gets specs from begin() on.
    ChainModel(ChainRunner& runner, Notifications& notices, History& history, QObject* parent = nullptr);

    SharedState state() const { return now_; }
    const Scene& scene() const { return now_->scene; }
    const ChainSpec& chain() const { return now_->scene.chain(); }
    /// The strip itself: name, role, fader, mute.
    const StripSpec& spec() const { return now_->scene.desk.strips.front(); }
    /// The stage with this id, or nullptr.
    const StageSpec* stage(const std::string& id) const;

    /// Sets one value of stage `id`; out of range it is rejected with a notification.
    bool setValue(const std::string& id, size_t parameter, double value);
    /// Sets all values of a stage; consecutive changes with the same `key` are one undo step.
    bool setValues(const std::string& id, const std::vector<double>& values, const QString& label,
                   const QString& key);
    /// Row of the value that was changed last, which the wheel and shortcuts change; by default the first
    /// threshold, else the first value. 0 if the stage does not exist.
    size_t lastUsed(const std::string& id) const;
    /// Changes it by steps, as the wheel over its field; fine: tenths of a step.
    void turn(const std::string& id, double notches, bool fine);
    /// Applies a proposal.
    void apply(const std::string& id, const Proposal& proposal, const QString& words);
    /// Sets the learned data of a stage; `label` names the undo step.
    void teach(const std::string& id, const LearnedData& memory, const QString& label);
    void setBypass(const std::string& id, bool bypass);
    /// Adds a stage at `index` and selects it.
    void addStage(const StageKind& kind, size_t index);
    /// The same with configured stages, which get unique ids. Rejected with a notification if there are too
    /// many.
    bool insertStages(std::vector<StageSpec> stages, size_t index, const QString& label);
    /// Replaces a stage.
    bool replaceStage(const std::string& id, std::vector<StageSpec> stages, const QString& label);
    void duplicateStage(const std::string& id);
    void removeStage(const std::string& id);
    void moveStage(const std::string& id, int to);
    void renameStage(const std::string& id, const QString& title);
    /// Resets all values to the defaults of the kind.
    void resetStage(const std::string& id);
    /// Switches between settings A and B of a stage; B starts as a copy.
    void toggleAb(const std::string& id);
    /// The active settings: 'A' or 'B'.
    char activeSlot(const std::string& id) const;
    /// Sets the sidechain of a stage, which MixerModel::setKey() has validated.
    void setKey(const std::string& id, const std::string& key);
    /// Removes all sidechains from the strip `strip`.
    void clearSidechain(const std::string& strip);

    /// The chain with all characters and the active one: what the runner gets.
    ChainSpec runnable() const;
    /// Sets the available characters; one that is active and missing is turned off.
    void setCharacters(std::vector<CharacterSpec> characters);
    /// Turns a character on by name (empty: off) within 30 ms. Transient: not saved, no undo step.
    void setCharacter(const std::string& name);
    /// Sets ChainSpec::least_latency, in ms; 0: none. Not saved, no undo step.
    void setLeastLatency(double ms) {
        if (std::exchange(least_latency_, ms) != ms) follow(Fade::quick);
    }
    /// Whether a character of this name is available.
    bool hasCharacter(const std::string& name) const;
    /// The active character; empty if none.
    const std::string& character() const { return character_; }

    void setFader(double db);
    void setStripMute(bool muted);
    void setStripName(const QString& name);
    void setColour(int colour);

    /// Loads another scene.
    void adopt(Scene scene, const QString& label, Fade fade);
    /// Sets the metadata of the scene (name, note, colour, ...) without changing the mixer; no undo step.
    void setHead(Scene head);
    /// Replaces all stages, as one undo step. Sidechains and characters of the strip stay as they are.
    void setChain(ChainSpec chain, const QString& label);
    /// Sets values of several stages, and optionally the fader, as one undo step.
    void fitTo(const std::vector<AdaptationChange>& changes, const QString& label);

    /// Ends a drag or a series of wheel steps: the next change is a new undo step.
    void closeStep() { history_.closeStep(); }
    /// Restores an earlier state; no undo step.
    void goBackTo(const SharedState& state);

    /// Id of the selected stage; empty if none.
    const std::string& focused() const { return focused_; }
    void focus(const std::string& id);

    /// Sets the initial state; the runner gets specs from here on.
    void begin(StripState state, const std::string& focused);
    /// Call when the runner was opened, possibly with an outdated chain.
    void runnerOpened();

  signals:
    /// Stages were added, removed, moved or renamed.
    void structureChanged();
    /// Values, bypass, active settings or learned data of this stage changed.
    void stageChanged(const QString& id);
    /// Name, colour, fader or mute of the strip changed.
    void stripChanged();
    /// Any of the above.
    void changed();
    void focusChanged();
    /// The active character changed.
    void characterChanged();

  private:
    void change(StripState after, const QString& label, const QString& key, Fade fade = Fade::quick);
    template <typename Change>
    void changeStrip(const QString& label, const QString& key, Change change);
    void changeStage(StageSpec next, const QString& label, const QString& key);
    void push(const QString& label, const QString& key);
    SharedState replace(SharedState state);
    void take(SharedState state, Fade fade);
    void follow(Fade fade);
    void tellChanges(const StripState& before);
    void tellFocus();
    QString nameOf(const std::string& id) const;
    bool insert(StripState& into, std::vector<StageSpec> fresh, size_t index);
    /// A copy of the state to change, and the stage in it; nullptr if it does not exist.
    std::pair<StripState, StageSpec*> changing(const std::string& id) const;

    ChainRunner& runner_;
    Notifications& notices_;
    SharedState now_ = std::make_shared<StripState>();
    std::vector<SharedState> past_;  // until the event is done
    QTimer event_done_;
    History& history_;
    std::map<std::string, size_t> last_used_;  // by stage id
    std::vector<CharacterSpec> characters_;
    std::string character_;
    double least_latency_ = 0.0;  // ms
    std::string focused_, told_focus_;
    bool open_ = false;
};

/// The stage as the text of a scene for the clipboard; empty if it does not exist.
QString stageText(const ChainModel& model, const std::string& id);
/// Inserts the stages of such a text, or of a whole scene, at `index`; false with a notification if it is not
/// a scene.
bool pasteStages(ChainModel& model, Notifications& notices, const QString& text, size_t index);

}  // namespace reed::ui
