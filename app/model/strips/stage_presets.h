// Settings of one stage, kept under a name, for any chain.
#pragma once

#include <QString>
#include <optional>
#include <vector>

#include "model/shared/app_context.h"
#include "scenes/library.h"

namespace reed::ui {

class ChainModel;
class StripModel;

struct StagePreset {
    QString name;
    QString note;  ///< what to listen for
    StageSpec stage;
    std::optional<VoiceLevels> made;  ///< what came to the stage that it was kept from
    bool ours = false;                ///< it came with the program
};

/// The person's are scene files of one stage in the folder "recipes" beside the scenes; ours come with the
/// demo data.
class StagePresets {
  public:
    explicit StagePresets(AppContext& context);

    /// Those of a kind, the person's first, by name.
    std::vector<StagePreset> of(const std::string& kind) const;
    /// Keeps the settings of a stage; a recipe of this name and kind makes way, its file stays in "removed".
    /// Problems are told.
    bool keep(const StripModel& strip, const std::string& stage, const QString& name, const QString& note);
    /// Sets a stage of the same kind by it, as one step of undo. Thresholds go where they stand to the voice
    /// and room that come to the stage as they stood where it was kept, if both are known.
    void load(StripModel& strip, const std::string& stage, const StagePreset& recipe);
    /// Removes one of the person's; its file stays in "removed".
    void remove(const QString& name);

  private:
    AppContext& context_;
    SceneLibrary own_;
};

}  // namespace reed::ui
