#include "model/strips/characters.h"

#include <algorithm>

#include "chain/chain.h"
#include "model/chain/chain_model.h"
#include "model/devices/audio_system.h"
#include "model/strips/preset_files.h"

namespace reed::ui {
namespace {

double delayOf(const ChainSpec& chain) {
    const auto built = Chain::build(chain, {AudioSystem::kMixerRate, 1});
    return built.ok() ? 1000.0 * built.value()->latency() / AudioSystem::kMixerRate : 0.0;
}

CharacterEntry entryOf(const Scene& scene, bool ours) {
    CharacterEntry out;
    out.name = QString::fromStdString(scene.name);
    out.note = QString::fromStdString(scene.note);
    out.spec = {scene.name, scene.chain().stages};
    // What listens to another strip, or is not known here, has no place in one.
    std::erase_if(out.spec.stages, [](const StageSpec& s) { return !s.key.empty() || s.missing(); });
    out.delay = delayOf(scene.chain());
    out.ours = ours;
    return out;
}

}  // namespace

Characters::Characters(AppContext& context)
    : context_(context), own_(context.paths.scenes.parent_path() / "characters") {
    read();
}

void Characters::reload() {
    read();
    tellProblems();
    emit changed();
}

void Characters::read() {
    all_.clear();
    for (const SceneEntry& e : SceneLibrary(context_.paths.demo_data / "characters").list().scenes)
        all_.push_back(entryOf(e.scene, true));
    const SceneListing own = own_.list();
    for (const SceneEntry& e : own.scenes) {
        CharacterEntry entry = entryOf(e.scene, false);
        const auto same = std::ranges::find_if(all_, [&](const CharacterEntry& c) {
            return c.name.compare(entry.name, Qt::CaseInsensitive) == 0;
        });
        if (same != all_.end())
            *same = std::move(entry);
        else
            all_.push_back(std::move(entry));
    }
    unreadable_ = own.unreadable;
    left_out_ = all_.size() - std::min(all_.size(), kMaxCharacters);
    all_.resize(all_.size() - left_out_);
}

void Characters::tellProblems() {
    for (const Error& e : unreadable_) context_.notices.tell(e);
    if (left_out_ == 0) return;
    context_.notices.warn(tr("At most %1 characters can be loaded. Skipped: %2. Remove some.")
                              .arg(kMaxCharacters)
                              .arg(left_out_));
}

const CharacterEntry* Characters::find(const QString& name) const {
    const auto found = std::ranges::find_if(
        all_, [&](const CharacterEntry& c) { return c.name.compare(name, Qt::CaseInsensitive) == 0; });
    return found == all_.end() ? nullptr : &*found;
}

std::vector<CharacterSpec> Characters::specs() const {
    std::vector<CharacterSpec> out;
    out.reserve(all_.size());
    for (const CharacterEntry& c : all_) out.push_back(c.spec);
    return out;
}

bool Characters::keep(const ChainModel& strip, const std::vector<std::string>& stages, const QString& name,
                      const QString& note) {
    Scene kept;
    kept.name = name.trimmed().toStdString();
    kept.note = note.trimmed().toStdString();
    if (kept.name.empty()) {
        context_.notices.warn(tr("Enter a name, e.g. “Old radio”."));
        return false;
    }
    for (const StageSpec& s : strip.chain().stages) {
        if (std::ranges::find(stages, s.id) == stages.end()) continue;
        StageSpec stage = s;
        stage.key.clear();  // a strip is not known elsewhere
        stage.bypass = false;
        kept.chain().stages.push_back(std::move(stage));
    }
    kept.chain() = without_transients(kept.chain());
    if (kept.chain().stages.empty()) {
        context_.notices.warn(tr("Select at least one stage."));
        return false;
    }
    if (find(name.trimmed()) == nullptr && all_.size() >= kMaxCharacters) {
        context_.notices.warn(
            tr("At most %1 characters can be loaded. Remove one first.").arg(kMaxCharacters));
        return false;
    }
    if (!savePresetFile(own_, context_.notices, kept, tr("Saved character “%1” to %2"))) return false;
    reload();
    return true;
}

void Characters::remove(const QString& name) {
    if (!removeFile(own_, context_.notices, name, tr("Removed character “%1”. The file was moved to %2")))
        return;
    reload();
}

bool Characters::takeIn(ChainModel& strip, const CharacterEntry& character) {
    const auto& stages = strip.chain().stages;
    size_t at = stages.size();
    for (size_t i = 0; i < stages.size(); ++i) {
        if (stages[i].stage_kind().lid) at = i;
    }
    return strip.insertStages(character.spec.stages, at, tr("Stages of %1").arg(character.name));
}

}  // namespace reed::ui
