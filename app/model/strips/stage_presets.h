// The library of stage presets.
#pragma once

#include <QString>
#include <optional>
#include <vector>

#include "model/shared/app_context.h"
#include "scenes/library.h"

namespace reed::ui {

class ChainModel;
class StripModel;

/// Named settings of a stage kind.
struct StagePreset {
    QString name;
    QString note;  ///< description
    StageSpec stage;
    std::optional<VoiceLevels> made;  ///< levels before the stage when it was saved, if known
    bool ours = false;                ///< included with the program
};

/// The user's presets are scene files of one stage in the folder "recipes" beside the scenes; included ones
/// are in the demo data. GUI thread only.
class StagePresets {
  public:
    explicit StagePresets(AppContext& context);

    /// Presets of a kind, the user's first, each group by name. Reads the folders.
    std::vector<StagePreset> of(const std::string& kind) const;
    /// Saves the settings of a stage as a preset. One of this name and kind is moved to "removed". False,
    /// with a notification, on failure.
    bool keep(const StripModel& strip, const std::string& stage, const QString& name, const QString& note);
    /// Applies a preset to a stage of the same kind, as one undo step. Thresholds are moved to the same
    /// distance from voice and background noise as when it was saved, if the levels before the stage are
    /// known in both cases.
    void load(StripModel& strip, const std::string& stage, const StagePreset& recipe);
    /// Moves a user's preset to "removed".
    void remove(const QString& name);

  private:
    AppContext& context_;
    SceneLibrary own_;
};

}  // namespace reed::ui
