#include "model/takes/comparison_target.h"

#include <QCoreApplication>
#include <filesystem>

#include "model/scenes/scene_manager.h"

namespace reed::ui {

std::optional<std::pair<Side, Side>> makeComparison(const ComparisonTarget& against, const StripModel& strip,
                                                    const SceneManager& scenes) {
    const ChainModel& model = strip.chainModel();
    const ChainSpec chain = without_transients(model.chain());
    Side now{Side::What::processed, chain, 0, 0};
    Side other = now;
    const int focused = chain.index_of(model.focused());
    using What = ComparisonTarget::What;
    switch (against.what) {
        case What::plain:
            return {{Side{}, now}};
        case What::without_stage:
            if (focused < 0) return {};
            other.chain.stages[static_cast<size_t>(focused)].bypass = true;
            return {{other, now}};
        case What::other_memory: {
            if (focused < 0) return {};
            const auto memory = model.state()->memories.find(model.focused());
            if (memory == model.state()->memories.end()) return {};
            StageSpec& stage = other.chain.stages[static_cast<size_t>(focused)];
            stage.values = memory->second.values;
            stage.taught = memory->second.taught;
            return {{other, now}};
        }
        case What::scene: {
            const Scene* scene = scenes.find(against.name.toStdString());
            if (scene == nullptr) return {};
            const int same = scene->desk.index_of(model.spec().id);
            other.chain = without_transients(same >= 0 ? scene->desk.strips[static_cast<size_t>(same)].chain
                                                       : scene->chain());
            return {{other, now}};
        }
        case What::take:
            return {{now, now}};
        case What::taken_away:
            return {{Side{Side::What::taken_away, chain, 0, chain.stages.size()}, now}};
        case What::stage_taken_away:
            if (focused < 0) return {};
            return {{Side{Side::What::taken_away, chain, static_cast<size_t>(focused),
                          static_cast<size_t>(focused) + 1},
                     now}};
    }
    return {};
}

QString nameOf(const ComparisonTarget& against) {
    const auto words = [](const char* text) { return QCoreApplication::translate("TakeSides", text); };
    switch (against.what) {
        case ComparisonTarget::What::plain:
            return words("Unprocessed");
        case ComparisonTarget::What::without_stage:
            return words("Without this stage");
        case ComparisonTarget::What::other_memory:
            return words("Other settings (A/B)");
        case ComparisonTarget::What::taken_away:
        case ComparisonTarget::What::stage_taken_away:
            return words("Removed signal");
        case ComparisonTarget::What::scene:
            return against.name;
        case ComparisonTarget::What::take:
            return QString::fromStdString(std::filesystem::path(against.name.toStdString()).stem().string());
    }
    return {};
}

}  // namespace reed::ui
