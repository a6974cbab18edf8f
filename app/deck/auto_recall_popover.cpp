#include "deck/auto_recall_popover.h"

#include <QHBoxLayout>
#include <QMenu>
#include <algorithm>

#include "base/case_folding.h"
#include "model/app_model.h"
#include "model/scenes/auto_recall_rules.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {
constexpr int kWidth = 520, kNameWidth = 318;
}

AutoRecallPopover::AutoRecallPopover(AppModel& app, QWidget* parent)
    : Panel("scene_rules", tr("Auto-recall"), parent),
      app_(app),
      rules_(app.recallRules()),
      scene_(app.mixer().name()) {
    setFixedWidth(kWidth);
    addWords(Words::Ink::text, 16, true, tr("Auto-recall"));
    auto* about = addWords(Words::Ink::muted, 12, false,
                           tr("Recall “%1” automatically when one of these happens, unless the current scene "
                              "has unsaved changes. Rules are stored on this computer, not in the scene.")
                               .arg(QString::fromStdString(scene_)));
    about->setWordWrap(true);
    rows_ = new QGridLayout;
    rows_->setHorizontalSpacing(8);
    rows_->setVerticalSpacing(4);
    rows_->setColumnStretch(0, 1);
    column()->addLayout(rows_);
    none_ = addWords(Words::Ink::text, 14, false, tr("No rules yet"));
    none_->setObjectName("rules_none");
    auto* foot = new QHBoxLayout;
    const auto add = [&](const char* name, const QString& words, void (AutoRecallPopover::*open)()) {
        auto* b = new FlatButton(words, this);
        b->setObjectName(name);
        b->setWeight(FlatButton::Weight::raised);
        b->setIconName("plus");
        connect(b, &FlatButton::clicked, this, open);
        foot->addWidget(b);
        return b;
    };
    program_ = add("rule_program", tr("Add app…"), &AutoRecallPopover::openPrograms);
    device_ = add("rule_device", tr("Add device…"), &AutoRecallPopover::openDevices);
    foot->addStretch(1);
    column()->addLayout(foot);
    connect(&rules_, &AutoRecallRules::changed, this, &AutoRecallPopover::rebuild);
    rebuild();
}

void AutoRecallPopover::rebuild() {
    empty(*rows_);
    int row = 0;
    for (const RecallRule& rule : rules_.all()) {
        if (!same_name(rule.scene, scene_)) continue;
        auto* words = new Words(Words::Ink::text, this);
        words->setFont(ui::font(14));
        const QString all = AutoRecallRules::words(rule);
        words->setText(words->fontMetrics().elidedText(all, Qt::ElideMiddle, kNameWidth));
        setHint(words, all);
        rows_->addWidget(words, row, 0);
        auto* back = new FlatButton(tr("then return"), this);
        back->setObjectName(QStringLiteral("rule_back_%1").arg(row));
        back->setAccessibleName(tr("%1: return to the previous scene afterwards").arg(all));
        setHint(back, tr("Return to the previous scene afterwards, unless something was changed"));
        back->setCheckable(true);
        back->setChecked(rule.back);
        connect(back, &FlatButton::clicked, this, [this, rule](bool on) { rules_.setBack(rule, on); });
        rows_->addWidget(back, row, 1);
        auto* remove = new FlatButton(tr("Remove"), this);
        remove->setObjectName(QStringLiteral("rule_remove_%1").arg(row));
        remove->setAccessibleName(tr("Remove: %1").arg(all));
        connect(remove, &FlatButton::clicked, this, [this, rule] { rules_.remove(rule); });
        rows_->addWidget(remove, row, 2);
        ++row;
    }
    none_->setVisible(row == 0);
    fitContents();
}

void AutoRecallPopover::openPrograms() {
    auto* menu = new QMenu(this);
    menu->setObjectName("rule_programs");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    QStringList names;
    for (const PlayingProgram& program : app_.mixer().main().audio().snapshot().programs)
        names << QString::fromStdString(program.name);
    names.removeDuplicates();
    for (const QString& name : names) {
        menu->addAction(QString(name).replace('&', "&&"), this, [this, name] {
            rules_.add({.when = RecallRule::When::program_plays,
                        .name = name.toStdString(),
                        .title = {},
                        .scene = scene_,
                        .back = true});
        });
    }
    if (names.isEmpty())
        menu->addAction(tr("No app is playing audio. Start playback to see it here."))->setEnabled(false);
    menu->popup(program_->mapToGlobal(QPoint(0, program_->height())));
}

void AutoRecallPopover::openDevices() {
    auto* menu = new QMenu(this);
    menu->setObjectName("rule_devices");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const PipeWireSnapshot& picture = app_.mixer().main().audio().snapshot();
    const auto list = [&](const std::vector<PipeWireNode>& nodes) {
        for (const PipeWireNode& node : nodes) {
            const QString title = QString::fromStdString(node.title.empty() ? node.name : node.title);
            menu->addAction(QString(title).replace('&', "&&"), this, [this, node] {
                rules_.add({.when = RecallRule::When::device_is_there,
                            .name = node.name,
                            .title = node.title,
                            .scene = scene_,
                            .back = false});
            });
        }
    };
    list(picture.sources);
    if (!picture.sources.empty() && !picture.sinks.empty()) menu->addSeparator();
    list(picture.sinks);
    if (menu->isEmpty())
        menu->addAction(picture.connected ? tr("No audio device found. Connect one first.")
                                          : tr("PipeWire isn't running, so devices can't be listed."))
            ->setEnabled(false);
    menu->popup(device_->mapToGlobal(QPoint(0, device_->height())));
}

}  // namespace reed::ui
