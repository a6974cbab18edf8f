#include "model/strips/stage_presets.h"

#include <QCoreApplication>

#include "base/case_folding.h"
#include "model/strips/preset_files.h"
#include "model/strips/strip_model.h"
#include "scenes/adaptation.h"

namespace reed::ui {

namespace {

constexpr double kLeastSeconds = 5.0;  // of levels, before they say anything

QString tr(const char* text) {
    return QCoreApplication::translate("Presets", text);
}

/// Levels before a stage, where they are known.
std::optional<TapLevels> levelsBefore(const StripModel& strip, const std::string& stage) {
    const int i = strip.chainModel().chain().index_of(stage);
    if (i < 0 || !strip.levelsFit() || strip.levels().seconds < kLeastSeconds) return std::nullopt;
    const TapLevels& tap = strip.levels().taps[static_cast<size_t>(i)];
    if (!tap.voice_known || !tap.room_known) return std::nullopt;
    return tap;
}

void add(std::vector<StagePreset>& out, const SceneLibrary& from, const std::string& kind, bool ours) {
    for (const SceneEntry& entry : from.list().scenes) {
        const auto& stages = entry.scene.chain().stages;
        if (stages.size() != 1 || stages.front().kind != kind) continue;
        StagePreset r{QString::fromStdString(entry.scene.name), QString::fromStdString(entry.scene.note),
                      stages.front(), std::nullopt, ours};
        for (const auto& [strip, made] : entry.scene.made_for) {
            if (const auto at = made.stages.find(r.stage.id); at != made.stages.end()) r.made = at->second;
        }
        out.push_back(std::move(r));
    }
}

}  // namespace

StagePresets::StagePresets(AppContext& context)
    : context_(context), own_(context.paths.scenes.parent_path() / "recipes") {}

std::vector<StagePreset> StagePresets::of(const std::string& kind) const {
    std::vector<StagePreset> out;
    add(out, own_, kind, false);
    add(out, SceneLibrary(context_.paths.demo_data / "recipes"), kind, true);
    return out;
}

bool StagePresets::keep(const StripModel& strip, const std::string& stage, const QString& name,
                        const QString& note) {
    const StageSpec* s = strip.chainModel().stage(stage);
    if (s == nullptr) return false;
    Scene recipe;
    recipe.name = name.trimmed().toStdString();
    recipe.note = note.trimmed().toStdString();
    if (recipe.name.empty()) {
        context_.notices.warn(tr("Enter a preset name, e.g. “Bench gate”."));
        return false;
    }
    StageSpec kept = *s;
    kept.key.clear();  // a strip is not known elsewhere
    kept.taught = {};  // nor is a room
    kept.bypass = false;
    recipe.chain().stages = {kept};
    if (const auto at = levelsBefore(strip, stage))
        recipe.made_for[recipe.desk.strips.front().id] = {
            voice_levels(*at), {{kept.id, voice_levels(*at)}}, 0.0};
    const SceneListing there = own_.list();
    if (const SceneEntry* same = find_scene(there.scenes, recipe.name);
        same != nullptr && same->scene.chain().stages.front().kind != kept.kind) {
        context_.notices.warn(
            tr("A preset named “%1” already exists for another stage. Choose another name.").arg(name));
        return false;
    }
    return savePresetFile(own_, context_.notices, recipe, tr("Saved preset “%1” to %2"));
}

void StagePresets::load(StripModel& strip, const std::string& stage, const StagePreset& recipe) {
    const StageSpec* now = strip.chainModel().stage(stage);
    if (now == nullptr || now->kind != recipe.stage.kind) return;
    StageSpec next = recipe.stage;
    const auto here = levelsBefore(strip, stage);
    if (recipe.made && here)
        next = between_noise_and_speech(placed(next, *recipe.made, voice_levels(*here)), *here);
    strip.chainModel().closeStep();
    strip.chainModel().setValues(
        stage, next.values, tr("%1: preset %2").arg(QString::fromStdString(now->shown_title()), recipe.name),
        {});
    if (!recipe.note.isEmpty()) context_.notices.say(recipe.name + ": " + recipe.note);
}

void StagePresets::remove(const QString& name) {
    removeFile(own_, context_.notices, name, tr("Removed preset “%1”. The file was moved to %2"));
}

}  // namespace reed::ui
