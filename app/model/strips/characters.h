// The library of characters.
#pragma once

#include <QObject>
#include <QString>
#include <vector>

#include "model/shared/app_context.h"
#include "scenes/library.h"

namespace reed::ui {

class ChainModel;

/// A character: stages that are applied over a chain while it is on.
struct CharacterEntry {
    QString name;
    QString note;  ///< description by its author
    CharacterSpec spec;
    double delay = 0.0;  ///< latency that it adds while it is on, in ms at 48 kHz
    bool ours = false;   ///< included with the program
};

/// The user's characters are scene files of one strip in the folder "characters" beside the scenes. Included
/// ones are in the demo data; a user's character of the same name replaces an included one. GUI thread only.
class Characters final : public QObject {
    Q_OBJECT
  public:
    explicit Characters(AppContext& context);

    /// Included ones first, then the user's in their order; at most kMaxCharacters.
    const std::vector<CharacterEntry>& all() const { return all_; }
    /// Finds by name, ignoring case; returns nullptr if not found.
    const CharacterEntry* find(const QString& name) const;
    /// Posts warnings about unreadable files and about characters above the limit.
    void tellProblems();
    /// Reads the files again, with what tellProblems() does.
    void reload();
    /// The characters as chains load them.
    std::vector<CharacterSpec> specs() const;

    /// Saves stages of a chain (by id, in the order of the chain) as a character. A user's character of this
    /// name is moved to "removed". False, with a notification, on failure.
    bool keep(const ChainModel& strip, const std::vector<std::string>& stages, const QString& name,
              const QString& note);
    /// Moves a user's character to "removed". An included one of this name is then available again.
    void remove(const QString& name);
    /// Inserts the stages of a character into a chain, before a limiter at its end, as one undo step.
    static bool takeIn(ChainModel& strip, const CharacterEntry& character);

  signals:
    /// The list or one of its characters changed.
    void changed();

  private:
    void read();
    AppContext& context_;
    SceneLibrary own_;
    std::vector<CharacterEntry> all_;
    std::vector<Error> unreadable_;
    size_t left_out_ = 0;
};

}  // namespace reed::ui
