// The chain in work: its values, undo, memories and focus.
#pragma once

#include <QObject>
#include <QTimer>
#include <map>
#include <string>
#include <vector>

#include "chain/chain_runner.h"
#include "scenes/adaptation.h"
#include "session/history.h"
#include "session/notifications.h"

namespace reed::ui {

/// One strip's chain, as the window edits it. Every change makes a new state, which the runner follows, and
/// is one step of undo of the desk. What chain() and stage() give stays valid until the event is done in
/// which it was asked for, whatever changes meanwhile; who needs it longer holds state().
class ChainModel final : public QObject {
    Q_OBJECT
  public:
    /// `runner` is followed as soon as begin() was called.
    ChainModel(ChainRunner& runner, Notifications& notices, History& history, QObject* parent = nullptr);

    SharedState state() const { return now_; }
    const Scene& scene() const { return now_->scene; }
    const ChainSpec& chain() const { return now_->scene.chain(); }
    /// The strip itself: name, role, fader, mute.
    const StripSpec& spec() const { return now_->scene.desk.strips.front(); }
    /// nullptr: there is none of this id.
    const StageSpec* stage(const std::string& id) const;

    /// Sets one value (checked against its range; refused with a notice). `id` is a stage's.
    bool setValue(const std::string& id, size_t parameter, double value);
    /// All values of one stage at once; changes with the same `key` that follow one another count as one.
    bool setValues(const std::string& id, const std::vector<double>& values, const QString& label,
                   const QString& key);
    /// The value of a stage that was changed last: what a wheel or a key turns. One that no stage has yet
    /// been turned at: its first threshold, else its first value. 0 where there is no such stage.
    size_t lastUsed(const std::string& id) const;
    /// Turns it by notches, as the wheel over its field does; fine: a tenth.
    void turn(const std::string& id, double notches, bool fine);
    /// Does what a finding proposes.
    void apply(const std::string& id, const Proposal& proposal, const QString& words);
    /// Teaches a stage, which keeps all its values; `label` says what.
    void teach(const std::string& id, const LearnedData& memory, const QString& label);
    void setBypass(const std::string& id, bool bypass);
    /// Adds a stage at `index` of the order and focuses it.
    void addStage(const StageKind& kind, size_t index);
    /// The same with stages that are set already; they get ids of their own. Refused, with a notice, when
    /// there would be too many.
    bool insertStages(std::vector<StageSpec> stages, size_t index, const QString& label);
    /// The same in the place of a stage.
    bool replaceStage(const std::string& id, std::vector<StageSpec> stages, const QString& label);
    void duplicateStage(const std::string& id);
    void removeStage(const std::string& id);
    void moveStage(const std::string& id, int to);
    void renameStage(const std::string& id, const QString& title);
    /// All values as the kind's table has them.
    void resetStage(const std::string& id);
    /// Two memories a stage, A and B: flips to the other one, which first is a copy.
    void toggleAb(const std::string& id);
    /// Which one is in work: 'A' or 'B'.
    char activeSlot(const std::string& id) const;
    /// What a stage listens to. MixerModel::setKey() has seen that it can be.
    void setKey(const std::string& id, const std::string& key);
    /// Nothing listens to the strip `strip` any more.
    void clearSidechain(const std::string& strip);

    /// The chain with what can be laid over it, and what is: this is what runs.
    ChainSpec runnable() const;
    /// What can be laid over it from now on. One that is on and not among them any more is off.
    void setCharacters(std::vector<CharacterSpec> characters);
    /// Lays one over the chain, by its name (empty: none), in 30 ms. Of the moment: never saved, no undo.
    void setCharacter(const std::string& name);
    /// The one that is on; empty: none.
    const std::string& character() const { return character_; }

    void setFader(double db);
    void setStripMute(bool muted);
    void setStripName(const QString& name);
    void setColour(int colour);

    /// Another scene takes the place of the one in work.
    void adopt(Scene scene, const QString& label, Fade fade);
    /// The same desk with what else a scene has (its name, note, colour and so on); no step of undo.
    void setHead(Scene head);
    /// Values of several stages, and perhaps the fader, in one step.
    void fitTo(const std::vector<AdaptationChange>& changes, const QString& label);

    /// A drag or a burst of wheel turns ends here: the next change is a step of its own.
    void closeStep() { history_.closeStep(); }
    /// Of the whole desk, whichever strip was changed last.
    void undo() { history_.undo(); }
    void redo() { history_.redo(); }
    const History& history() const { return history_; }
    /// A state from before: no step of undo.
    void goBackTo(const SharedState& state);

    /// Id of the stage in focus; empty: there is none.
    const std::string& focused() const { return focused_; }
    void focus(const std::string& id);

    /// The state to start with. The runner is followed from here on.
    void begin(StripState state, const std::string& focused);
    /// The runner was opened, perhaps with a chain that is no longer the one in work.
    void runnerOpened();

  signals:
    /// Stages came, went, moved, or have other names.
    void structureChanged();
    /// Values, bypass, memory or what was taught, of this stage alone.
    void stageChanged(const QString& id);
    /// Name, colour, fader or mute of the strip.
    void stripChanged();
    /// Any of them.
    void changed();
    void focusChanged();
    /// Another character is on, or none.
    void characterChanged();

  private:
    void change(StripState after, const QString& label, const QString& key, Fade fade = Fade::quick);
    template <typename Change>
    void changeStrip(const QString& label, const QString& key, Change change);
    void take(SharedState state, Fade fade);
    void follow(Fade fade);
    void tellChanges(const StripState& before);
    void tellFocus();
    QString nameOf(const std::string& id) const;
    bool insert(StripState& into, std::vector<StageSpec> fresh, size_t index);
    /// A copy of the state to change, and the stage in it; nullptr when there is none.
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
    std::string focused_, told_focus_;
    bool open_ = false;
};

/// The stage as the text of a scene, to be pasted here or sent to a friend; empty when there is none.
QString stageText(const ChainModel& model, const std::string& id);
/// Inserts the stages of such a text (or of a whole scene's) at `index`; false, with the reason told, when it
/// is none.
bool pasteStages(ChainModel& model, Notifications& notices, const QString& text, size_t index);

}  // namespace reed::ui
