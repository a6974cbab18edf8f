// Characters: stages kept together, to be laid over a chain by a key.
#pragma once

#include <QObject>
#include <QString>
#include <vector>

#include "model/shared/app_context.h"
#include "scenes/library.h"

namespace reed::ui {

class ChainModel;

struct CharacterEntry {
    QString name;
    QString note;  ///< what it is for, what to adjust
    CharacterSpec spec;
    double delay = 0.0;  ///< ms it adds while it is on, at 48 kHz
    bool ours = false;   ///< it came with the program
};

/// The person's are scene files of one strip in the folder "characters" beside the scenes; ours come with the
/// demo data, and one of the person's of the same name stands in the place of ours.
class Characters final : public QObject {
    Q_OBJECT
  public:
    explicit Characters(AppContext& context);

    /// Ours first, then the person's in their order; at most kMaxCharacters, what is beyond is told.
    const std::vector<CharacterEntry>& all() const { return all_; }
    /// By name, without regard to case; nullptr: there is none.
    const CharacterEntry* find(const QString& name) const;
    /// Tells of files that can't be used, and of those that are too many.
    void tellProblems();
    /// What chains wait with.
    std::vector<CharacterSpec> specs() const;

    /// Keeps stages of a chain (by id, in its order) under a name; one of this name makes way, its file stays
    /// in "removed". False, with the reason told, when it can't be.
    bool keep(const ChainModel& strip, const std::vector<std::string>& stages, const QString& name,
              const QString& note);
    /// Removes one of the person's; its file stays in "removed". Ours of that name is back, if there is one.
    void remove(const QString& name);
    /// Puts its stages into the chain before the lid, to be looked at and tuned, as one step of undo.
    static bool takeIn(ChainModel& strip, const CharacterEntry& character);

  signals:
    /// Which there are, or what they are.
    void changed();

  private:
    void read();
    void reload();
    AppContext& context_;
    SceneLibrary own_;
    std::vector<CharacterEntry> all_;
    std::vector<Error> unreadable_;
    size_t left_out_ = 0;
};

}  // namespace reed::ui
