#include "deck/changes_popover.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "actions/actions.h"
#include "scenes/differences.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {

using What = Difference::What;
std::pair<QString, QString> changeWords(const Difference& d, const ChainModel& strip) {
    const auto tr = [](const char* text) { return ChangesPopover::tr(text); };
    switch (d.what) {
        case What::bypassed:
            return {tr("bypassed"), tr("was on")};
        case What::enabled:
            return {tr("on"), tr("was bypassed")};
        case What::added:
            return {tr("new"), {}};
        case What::removed:
            return {tr("removed"), {}};
        case What::moved:
            return {tr("moved"), {}};
        case What::renamed:
            return {tr("renamed"), {}};
        case What::taught:
            return {tr("new noise profile"), {}};
        case What::keyed:
            return {tr("sidechain changed"), {}};
        case What::strip_added:
            return {tr("added"), {}};
        case What::strip_removed:
            return {tr("removed"), {}};
        case What::strip_moved:
            return {tr("order changed"), {}};
        case What::distance:
            return {tr("loudness target changed"), {}};
        case What::strip_set:
            return {tr("name, colour, fader or mute"), {}};
        case What::value:
            break;
    }
    const Parameter& p = strip.stage(d.stage)->stage_kind().parameters[d.row];
    const auto shown = [&](double value) { return QString::fromStdString(format_value(p, value)); };
    QString name = text(p.title);
    if (!p.group.empty()) name = text(p.group) + ' ' + name;
    return {name + ' ' + shown(d.now), tr("was %1").arg(shown(d.saved))};
}

ChangesPopover::ChangesPopover(Actions& actions, QWidget* parent)
    : Panel("changes_popup", tr("Changes since the scene was saved"), parent), actions_(actions) {
    title_ = addWords(Words::Ink::text, 16, true);
    list_ = new QGridLayout;
    list_->setHorizontalSpacing(14);
    list_->setVerticalSpacing(2);
    column()->addLayout(list_);
    auto* foot = new QHBoxLayout;
    foot->setSpacing(8);
    const auto add = [&](const char* name, const QString& words, const QString& tip, const char* action) {
        auto* b = new FlatButton(words, this);
        b->setObjectName(name);
        b->setWeight(FlatButton::Weight::raised);
        setHint(b, actions_.app().preferences().keys().hint(tip, action));
        connect(b, &FlatButton::clicked, this, [this, action] {
            close();
            actions_.act(action);
        });
        foot->addWidget(b);
    };
    add("changes_keep", tr("Save"), tr("Save these changes to the scene"), "save");
    add("changes_back", tr("Revert all"), tr("Return to the saved scene (can be undone)"), "revert-scene");
    add("changes_new", tr("Save as…"), tr("Save as a new scene and leave this one unchanged"), "save-as");
    foot->addStretch(1);
    column()->addLayout(foot);
    connect(&actions_.app().mixer(), &MixerModel::changed, this, &ChangesPopover::refresh);
    refresh();
}

void ChangesPopover::refresh() {
    empty(*list_);
    AppModel& app = actions_.app();
    const auto all = app.scenes().changes();
    title_->setText(tr("Unsaved changes to “%1”").arg(QString::fromStdString(app.mixer().name())));
    if (all.empty()) {
        close();
        return;
    }
    int row = 0;
    const auto put = [&](const QString& words, int column, Words::Ink ink) {
        auto* w = new Words(ink, this);
        w->setFont(ui::font(14));
        w->setText(words);
        list_->addWidget(w, row, column);
    };
    for (const Difference& d : all) {
        if (row == kRows - 1 && all.size() > kRows) {
            put(tr("and %1 more").arg(all.size() - static_cast<size_t>(row)), 0, Words::Ink::muted);
            break;
        }
        StripModel* of = app.mixer().find(d.strip);
        const auto [now, saved] = changeWords(d, (of != nullptr ? *of : app.mixer().current()).chainModel());
        QString title = QString::fromStdString(d.title);
        if (app.mixer().strips().size() > 1 && of != nullptr && !d.stage.empty())
            title = of->name() + ": " + title;
        put(title, 0, Words::Ink::muted);
        put(now, 1, Words::Ink::text);
        put(saved, 2, Words::Ink::muted);
        if (d.what == What::value || d.what == What::bypassed || d.what == What::enabled) {
            auto* back = new FlatButton(tr("Revert"), this);
            back->setObjectName(QStringLiteral("back_%1").arg(row));
            back->setAccessibleName(tr("Revert: %1 %2").arg(QString::fromStdString(d.title), now));
            connect(back, &FlatButton::clicked, this, [&app, d] {
                StripModel* strip = app.mixer().find(d.strip);
                if (strip == nullptr) return;
                if (d.what == What::value)
                    strip->chainModel().setValue(d.stage, d.row, d.saved);
                else
                    strip->chainModel().setBypass(d.stage, d.what == What::enabled);
                strip->chainModel().closeStep();
            });
            list_->addWidget(back, row, 3);
        }
        list_->setRowMinimumHeight(row, 32);
        ++row;
    }
    for (int gone = row; gone < kRows; ++gone) list_->setRowMinimumHeight(gone, 0);
    list_->setColumnStretch(1, 1);
    // Rows that were taken back leave no gap.
    fitContents();
}

}  // namespace reed::ui
