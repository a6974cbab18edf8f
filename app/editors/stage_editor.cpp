#include "editors/stage_editor.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>
#include <QVBoxLayout>

#include "editors/field_grid.h"
#include "editors/preset_menu.h"
#include "editors/stage_pane.h"
#include "measure/findings.h"
#include "model/app_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
StageEditor::StageEditor(AppModel& app, StripModel& strip, QWidget* parent)
    : QWidget(parent), app_(app), strip_(strip) {
    setObjectName("stage_editor");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 10, 16, 10);
    column->setSpacing(6);
    auto* header = new QHBoxLayout;
    header->setSpacing(12);
    title_ = new Words(Words::Ink::text, this);
    title_->setFont(ui::font(18, true));
    title_->setObjectName("stage_title");
    purpose_ = new Words(Words::Ink::muted, this);
    purpose_->setFont(ui::font(14));
    purpose_->setMinimumWidth(10);
    bypass_ = new FlatButton(tr("Bypass"), this);
    bypass_->setObjectName("bypass_button");
    bypass_->setWeight(FlatButton::Weight::raised);
    bypass_->setCheckable(true);
    setHint(bypass_, tr("Pass the signal through unchanged (same latency)"));
    connect(bypass_, &FlatButton::clicked, this,
            [this](bool on) { strip_.chainModel().setBypass(strip_.chainModel().focused(), on); });
    key_ = new FlatButton({}, this);
    key_->setObjectName("key_button");
    setHint(key_, tr("Sidechain source"));
    connect(key_, &FlatButton::clicked, this, &StageEditor::chooseKey);
    memory_ = new FlatButton(tr("Settings A"), this);
    memory_->setObjectName("memory_button");
    setHint(memory_, tr("Two sets of settings to compare. Press M on the stage to switch."));
    connect(memory_, &FlatButton::clicked, this,
            [this] { strip_.chainModel().toggleAb(strip_.chainModel().focused()); });
    recipes_ = new FlatButton(tr("Presets"), this);
    recipes_->setObjectName("recipes_button");
    setHint(recipes_, tr("Built-in and saved settings for this stage"));
    connect(recipes_, &FlatButton::clicked, this, &StageEditor::openRecipes);
    reset_ = new FlatButton(tr("Reset"), this);
    reset_->setObjectName("reset_button");
    setHint(reset_, tr("Restore the default values of this stage (can be undone)"));
    connect(reset_, &FlatButton::clicked, this,
            [this] { strip_.chainModel().resetStage(strip_.chainModel().focused()); });
    header->addWidget(title_);
    header->addWidget(purpose_, 1);
    header->addWidget(key_);
    header->addWidget(recipes_);
    header->addWidget(memory_);
    header->addWidget(reset_);
    header->addWidget(bypass_);
    column->addLayout(header);
    body_ = new QWidget(this);
    column->addWidget(body_, 1);
    advice_ = new Words(Words::Ink::muted, this);
    advice_->setObjectName("advice");
    advice_->setWordWrap(true);
    advice_->setFont(ui::font(14));
    advice_->setMinimumHeight(20);
    apply_ = new FlatButton({}, this);
    apply_->setObjectName("apply_button");
    apply_->setWeight(FlatButton::Weight::raised);
    apply_->hide();
    connect(apply_, &FlatButton::clicked, this, [this] {
        if (!finding_.proposal || shown_stage_.isEmpty()) return;
        strip_.chainModel().apply(shown_stage_.toStdString(), *finding_.proposal,
                                  Words::of(*finding_.proposal));
        updateAdvice();
    });
    auto* foot = new QHBoxLayout;
    foot->setSpacing(12);
    foot->addWidget(advice_, 1);
    foot->addWidget(apply_, 0, Qt::AlignVCenter);
    column->addLayout(foot);
    connect(&strip_.chainModel(), &ChainModel::changed, this, [this] { show(false); });
    connect(&strip_.chainModel(), &ChainModel::focusChanged, this, [this] { show(false); });
    connect(&app_.mixer(), &MixerModel::stripsChanged, this, [this] { show(false); });
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (++ticks_ % 15 == 0 && isVisible()) updateAdvice();
    });
    show(true);
}

void StageEditor::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(theme().panel);
    p.drawRoundedRect(rect(), 10, 10);
}

ValueField* StageEditor::field(const QString& parameter_id) const {
    return stage_body_ != nullptr ? stage_body_->fields()->field(parameter_id) : nullptr;
}

void StageEditor::show(bool rebuild) {
    const StageSpec* s = strip_.chainModel().stage(strip_.chainModel().focused());
    const QString id = s == nullptr ? QString() : QString::fromStdString(s->id);
    const QString kind = s == nullptr ? QString() : QString::fromStdString(s->kind);
    if (rebuild || id != shown_stage_ || kind != shown_kind_) {
        shown_stage_ = id;
        shown_kind_ = kind;
        stage_body_ =
            StagePane::make(strip_, StageRef(strip_.chainModel(), strip_.chainModel().focused()), this);
        QWidget* fresh = stage_body_ != nullptr ? stage_body_ : new QWidget(this);
        delete layout()->replaceWidget(body_, fresh);  // the old one's place in the layout is ours to free
        body_->hide();
        body_->deleteLater();
        body_ = fresh;
        fresh->show();
        updateAdvice();
        // A body that is hidden may end what it was trying (a search for a resonance), and the chain is
        // another then.
        s = strip_.chainModel().stage(strip_.chainModel().focused());
    } else if (!isVisible()) {
        stale_ = true;
        return;
    }
    stale_ = false;
    for (auto* b : {recipes_, memory_, reset_}) b->setVisible(s != nullptr && !s->missing());
    bypass_->setVisible(s != nullptr);
    const bool may_listen = s != nullptr && s->stage_kind().accepts_sidechain &&
                            (!s->key.empty() || app_.mixer().strips().size() > 1);
    key_->setVisible(may_listen);
    if (may_listen) key_->setText(tr("Sidechain: %1").arg(keyName(s->key)));
    if (s == nullptr) {
        title_->setText(tr("No stages yet"));
        purpose_->setText(tr("Add one with + in the diagram."));
        return;
    }
    title_->setText(
        title_->fontMetrics().elidedText(QString::fromStdString(s->shown_title()), Qt::ElideRight, 320));
    purpose_->setText(text(s->stage_kind().purpose));
    bypass_->setChecked(s->bypass);
    bypass_->setText(s->bypass ? tr("Bypassed") : tr("Bypass"));
    memory_->setText(tr("Settings %1").arg(QLatin1Char(strip_.chainModel().activeSlot(s->id))));
    stage_body_->refresh();
}

void StageEditor::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (stale_) show(false);
}

void StageEditor::openRecipes() {
    auto* menu = new PresetMenu(app_.presets(), strip_, strip_.chainModel().focused(), this);
    connect(menu, &PresetMenu::keepWanted, this, &StageEditor::keepRecipe);
    menu->popup(recipes_->mapToGlobal(QPoint(0, recipes_->height())));
}

void StageEditor::keepRecipe() {
    (new SavePresetPopover(app_.presets(), strip_, strip_.chainModel().focused(), this))
        ->openBelow(*recipes_);
}

QString StageEditor::keyName(const std::string& key) const {
    if (key.empty()) return tr("own signal");
    if (key == kAllVoices) return tr("all voices");
    const StripModel* source = app_.mixer().find(key);
    return source != nullptr ? source->name() : QString::fromStdString(key);
}

void StageEditor::chooseKey() {
    const StageSpec* s = strip_.chainModel().stage(shown_stage_.toStdString());
    if (s == nullptr) return;
    auto* menu = new QMenu(this);
    menu->setObjectName("key_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto add = [&](const std::string& key) {
        QAction* a = menu->addAction(keyName(key).replace('&', "&&"), this,
                                     [this, key, id = s->id] { app_.mixer().setSidechain(strip_, id, key); });
        a->setCheckable(true);
        a->setChecked(s->key == key);
    };
    add("");
    if (strip_.liveStrip().role() == StripRole::programme) add(std::string(kAllVoices));
    for (const StripModel* other : app_.mixer().strips()) {
        if (other != &strip_) add(other->chainModel().spec().id);
    }
    menu->popup(key_->mapToGlobal(QPoint(0, key_->height())));
}

void StageEditor::updateAdvice() {
    const int index = strip_.chainModel().chain().index_of(strip_.chainModel().focused());
    finding_ =
        index >= 0 && strip_.levelsFit()
            ? stage_finding(strip_.chainModel().chain(), static_cast<size_t>(index), strip_.findingLevels())
            : Finding{};
    if (const QString trouble = strip_.stageFault(strip_.chainModel().focused()); !trouble.isEmpty()) {
        finding_ = {};
        advice_->show(FindingTone::warning, trouble.left(1).toUpper() + trouble.mid(1));
    } else {
        advice_->show(finding_);
    }
    apply_->setVisible(finding_.proposal.has_value());
    if (!finding_.proposal) return;
    apply_->setText(Words::of(*finding_.proposal));
    const QString undo = strip_.context().preferences.keys().text("undo");
    setHint(apply_, undo.isEmpty() ? tr("Apply") : tr("Apply (%1 undoes it)").arg(undo));
}

}  // namespace reed::ui
