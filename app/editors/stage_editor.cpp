#include "editors/stage_editor.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>
#include <QVBoxLayout>

#include "editors/field_grid.h"
#include "editors/preset_menu.h"
#include "editors/stage_pane.h"
#include "measure/findings.h"
#include "session/readout_history.h"
#include "session/session.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
StageEditor::StageEditor(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("stage_editor");
    ReadoutHistory::of(session);  // begins to listen
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
            [this](bool on) { session_.strip().setBypass(session_.strip().focused(), on); });
    key_ = new FlatButton({}, this);
    key_->setObjectName("key_button");
    setHint(key_, tr("Sidechain source"));
    connect(key_, &FlatButton::clicked, this, &StageEditor::chooseKey);
    memory_ = new FlatButton(tr("Settings A"), this);
    memory_->setObjectName("memory_button");
    setHint(memory_, tr("Two sets of settings to compare. Press M on the stage to switch."));
    connect(memory_, &FlatButton::clicked, this,
            [this] { session_.strip().toggleAb(session_.strip().focused()); });
    recipes_ = new FlatButton(tr("Presets"), this);
    recipes_->setObjectName("recipes_button");
    setHint(recipes_, tr("Built-in and saved settings for this stage"));
    connect(recipes_, &FlatButton::clicked, this, &StageEditor::openRecipes);
    reset_ = new FlatButton(tr("Reset"), this);
    reset_->setObjectName("reset_button");
    setHint(reset_, tr("Restore the default values of this stage (can be undone)"));
    connect(reset_, &FlatButton::clicked, this,
            [this] { session_.strip().resetStage(session_.strip().focused()); });
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
        session_.strip().apply(shown_stage_.toStdString(), *finding_.proposal, Words::of(*finding_.proposal));
        updateAdvice();
    });
    auto* foot = new QHBoxLayout;
    foot->setSpacing(12);
    foot->addWidget(advice_, 1);
    foot->addWidget(apply_, 0, Qt::AlignVCenter);
    column->addLayout(foot);
    connect(&session_.strip(), &ChainModel::changed, this, [this] { show(false); });
    connect(&session_.strip(), &ChainModel::focusChanged, this, [this] { show(false); });
    connect(&session_.desk(), &MixerModel::stripsChanged, this, [this] { show(false); });
    connect(&session_, &Session::readingsChanged, this, [this] {
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
    const StageSpec* s = session_.strip().stage(session_.strip().focused());
    const QString id = s == nullptr ? QString() : QString::fromStdString(s->id);
    const QString kind = s == nullptr ? QString() : QString::fromStdString(s->kind);
    if (rebuild || id != shown_stage_ || kind != shown_kind_) {
        shown_stage_ = id;
        shown_kind_ = kind;
        stage_body_ = StagePane::make(session_, StageRef(session_.strip(), session_.strip().focused()), this);
        QWidget* fresh = stage_body_ != nullptr ? stage_body_ : new QWidget(this);
        delete layout()->replaceWidget(body_, fresh);  // the old one's place in the layout is ours to free
        body_->hide();
        body_->deleteLater();
        body_ = fresh;
        fresh->show();
        updateAdvice();
        // A body that is hidden may end what it was trying (a search for a resonance), and the chain is
        // another then.
        s = session_.strip().stage(session_.strip().focused());
    }
    for (auto* b : {recipes_, memory_, reset_}) b->setVisible(s != nullptr && !s->missing());
    bypass_->setVisible(s != nullptr);
    const bool may_listen = s != nullptr && s->stage_kind().accepts_sidechain &&
                            (!s->key.empty() || session_.desk().strips().size() > 1);
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
    memory_->setText(tr("Settings %1").arg(QLatin1Char(session_.strip().activeSlot(s->id))));
    stage_body_->refresh();
}

void StageEditor::openRecipes() {
    auto* menu = new PresetMenu(session_, session_.strip().focused(), this);
    connect(menu, &PresetMenu::keepWanted, this, &StageEditor::keepRecipe);
    menu->popup(recipes_->mapToGlobal(QPoint(0, recipes_->height())));
}

void StageEditor::keepRecipe() {
    (new SavePresetPopover(session_, session_.strip().focused(), this))->openBelow(*recipes_);
}

QString StageEditor::keyName(const std::string& key) const {
    if (key.empty()) return tr("own signal");
    if (key == kAllVoices) return tr("all voices");
    const Session* strip = session_.desk().find(key);
    return strip != nullptr ? strip->stripName() : QString::fromStdString(key);
}

void StageEditor::chooseKey() {
    const StageSpec* s = session_.strip().stage(shown_stage_.toStdString());
    if (s == nullptr) return;
    auto* menu = new QMenu(this);
    menu->setObjectName("key_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto add = [&](const std::string& key) {
        QAction* a = menu->addAction(keyName(key).replace('&', "&&"), this,
                                     [this, key, id = s->id] { session_.desk().setKey(session_, id, key); });
        a->setCheckable(true);
        a->setChecked(s->key == key);
    };
    add("");
    if (session_.seat().role() == StripRole::programme) add(std::string(kAllVoices));
    for (const Session* strip : session_.desk().strips()) {
        if (strip != &session_) add(strip->strip().spec().id);
    }
    menu->popup(key_->mapToGlobal(QPoint(0, key_->height())));
}

void StageEditor::updateAdvice() {
    const int index = session_.strip().chain().index_of(session_.strip().focused());
    finding_ = index >= 0 && session_.levelsFit()
                   ? stage_finding(session_.strip().chain(), static_cast<size_t>(index), session_.levels())
                   : Finding{};
    if (const QString trouble = session_.stageFault(session_.strip().focused()); !trouble.isEmpty()) {
        finding_ = {};
        advice_->show(FindingTone::warning, trouble.left(1).toUpper() + trouble.mid(1));
    } else {
        advice_->show(finding_);
    }
    apply_->setVisible(finding_.proposal.has_value());
    if (!finding_.proposal) return;
    apply_->setText(Words::of(*finding_.proposal));
    const QString undo = session_.preferences().keys().text("undo");
    setHint(apply_, undo.isEmpty() ? tr("Apply") : tr("Apply (%1 undoes it)").arg(undo));
}

}  // namespace reed::ui
