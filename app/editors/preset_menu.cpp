#include "editors/preset_menu.h"

#include <QLineEdit>
#include <QVBoxLayout>

#include "model/strips/stage_presets.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {
constexpr int kWidth = 380;
}

PresetMenu::PresetMenu(StagePresets& presets, StripModel& strip, const std::string& stage, QWidget* parent)
    : QMenu(parent) {
    setObjectName("recipe_menu");
    setAttribute(Qt::WA_DeleteOnClose);
    setToolTipsVisible(true);
    const StageSpec* s = strip.chainModel().stage(stage);
    const std::vector<StagePreset> all = s == nullptr ? std::vector<StagePreset>() : presets.of(s->kind);
    bool own = false;
    for (const StagePreset& r : all) {
        if (own && r.ours) addSeparator();
        own = !r.ours;
        setHint(addAction(r.name, this, [&presets, &strip, stage, r] { presets.load(strip, stage, r); }),
                r.note);
    }
    if (all.empty()) addAction(tr("No presets for this stage yet"))->setEnabled(false);
    addSeparator();
    addAction(tr("Save as preset…"), this, &PresetMenu::keepWanted);
    if (all.empty() || all.front().ours) return;
    QMenu* remove = addMenu(tr("Remove"));
    remove->setObjectName("recipe_remove");
    for (const StagePreset& r : all) {
        if (!r.ours) remove->addAction(r.name, this, [&presets, r] { presets.remove(r.name); });
    }
}

SavePresetPopover::SavePresetPopover(StagePresets& presets, StripModel& strip, const std::string& stage,
                                     QWidget* parent)
    : Panel("keep_recipe", tr("Save these settings as a preset"), parent),
      presets_(presets),
      strip_(strip),
      stage_(stage) {
    setFixedWidth(kWidth);
    name_ = addField("recipe_name", tr("Preset name"), [this] { keep(); });
    name_->setMaxLength(static_cast<int>(kMaxSceneName));
    note_ = addField("recipe_note", tr("Description"), [this] { keep(); });
    auto* done = new FlatButton(tr("Save"), this);
    done->setObjectName("recipe_keep");
    done->setWeight(FlatButton::Weight::raised);
    connect(done, &FlatButton::clicked, this, &SavePresetPopover::keep);
    column()->addWidget(done, 0, Qt::AlignLeft);
    name_->setFocus();
}

void SavePresetPopover::keep() {
    if (presets_.keep(strip_, stage_, name_->text(), note_->text())) close();
}

}  // namespace reed::ui
