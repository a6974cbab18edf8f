#include "deck/characters_popover.h"

#include <QMenu>
#include <QVBoxLayout>

#include "actions/actions.h"
#include "model/strips/characters.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

constexpr int kWidth = 640, kNameWidth = 150;

QString slotOf(const QString& name) {
    return "character " + name;
}

}  // namespace

CharactersPopover::CharactersPopover(Actions& actions, QWidget* parent)
    : Panel("characters_popup", tr("Characters"), parent), actions_(actions) {
    setFixedWidth(kWidth);
    addWords(Words::Ink::text, 16, true, tr("Characters"));
    addWords(Words::Ink::muted, 12, false,
             tr("Applied after your chain, before its limiter. Never makes you louder."));
    rows_ = new QGridLayout;
    rows_->setHorizontalSpacing(10);
    rows_->setVerticalSpacing(4);
    rows_->setColumnStretch(1, 1);
    column()->addLayout(rows_);
    auto* foot = new QHBoxLayout;
    auto* keep = new FlatButton(tr("Save stages as character…"), this);
    keep->setObjectName("character_keep");
    keep->setWeight(FlatButton::Weight::raised);
    // Opens above this popover, which then shows the saved character.
    connect(keep, &FlatButton::clicked, this,
            [this, keep] { (new SaveCharacterPopover(actions_, this))->openBelow(*keep); });
    foot->addWidget(keep);
    foot->addStretch(1);
    auto* keys = new FlatButton(tr("Shortcuts…"), this);
    keys->setObjectName("character_keys");
    setHint(keys, tr("Assign shortcuts to press or hold"));
    connect(keys, &FlatButton::clicked, this, [this] {
        close();
        actions_.act("shortcuts");
    });
    foot->addWidget(keys);
    column()->addLayout(foot);
    AppModel& app = actions_.app();
    connect(&app.characters(), &Characters::changed, this, &CharactersPopover::rebuild);
    connect(&app.mixer(), &MixerModel::characterChanged, this, &CharactersPopover::mark);
    rebuild();
}

void CharactersPopover::rebuild() {
    empty(*rows_);
    buttons_.clear();
    const AppModel& app = actions_.app();
    int row = 0;
    for (const CharacterEntry& c : app.characters().all()) {
        auto* on = new FlatButton(c.name, this);
        on->setObjectName("character_" + c.name);
        on->setProperty("character", c.name);
        on->setWeight(FlatButton::Weight::raised);
        on->setCheckable(true);
        on->setFixedWidth(kNameWidth);
        setHint(on, c.note);
        connect(on, &FlatButton::clicked, this, [this, name = c.name] {
            actions_.act("character", name);
            mark();
        });
        buttons_.push_back(on);
        rows_->addWidget(on, row, 0);
        auto* note = new Words(Words::Ink::muted, this);
        note->setFont(ui::font(12));
        note->setWordWrap(true);
        note->setText(c.note);
        rows_->addWidget(note, row, 1);
        const auto aside = [&](int column, const QString& text) {
            auto* words = new Words(Words::Ink::text, this);
            words->setFont(ui::font(12));
            words->setText(text);
            words->setMinimumWidth(words->sizeHint().width());
            words->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
            rows_->addWidget(words, row, column);
            return words;
        };
        if (c.delay > 5.0)
            setHint(aside(2, tr("+%1 ms").arg(c.delay, 0, 'f', 0)),
                    tr("Added latency while the character is on"));
        aside(3, app.preferences().keys().text(slotOf(c.name)));
        auto* more = new FlatButton({}, this);
        more->setObjectName("character_more_" + c.name);
        more->setIconName("more");
        more->setAccessibleName(tr("More options for %1").arg(c.name));
        connect(more, &FlatButton::clicked, this, [this, name = c.name, more] { openMore(name, *more); });
        rows_->addWidget(more, row, 4);
        ++row;
    }
    mark();
    fitContents();
}

void CharactersPopover::mark() {
    const QString on = QString::fromStdString(actions_.app().mixer().voice().chainModel().character());
    for (FlatButton* b : buttons_) b->setChecked(b->property("character").toString() == on);
}

void CharactersPopover::openMore(const QString& name, const QWidget& at) {
    AppModel& app = actions_.app();
    const CharacterEntry* c = app.characters().find(name);
    if (c == nullptr) return;
    auto* menu = new QMenu(this);
    menu->setObjectName("character_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Insert its stages into the chain"), this, [this, &app, name] {
        if (const CharacterEntry* taken = app.characters().find(name)) {
            ChainModel& voice = app.mixer().voice().chainModel();
            voice.setCharacter({});  // else it would be heard twice
            Characters::takeIn(voice, *taken);
        }
        close();
    });
    if (!c->ours) menu->addAction(tr("Remove it"), this, [&app, name] { app.characters().remove(name); });
    menu->popup(at.mapToGlobal(QPoint(at.width() - menu->sizeHint().width(), at.height())));
}

SaveCharacterPopover::SaveCharacterPopover(Actions& actions, QWidget* parent)
    : Panel("keep_character", tr("Save stages as a character"), parent), actions_(actions) {
    setFixedWidth(kWidth);
    addWords(Words::Ink::text, 16, true, tr("Save stages as a character"));
    addWords(Words::Ink::muted, 12, false, tr("Stages to include"));
    auto* grid = new QGridLayout;
    grid->setSpacing(6);
    int n = 0;
    for (const StageSpec& s : actions.strip().chainModel().chain().stages) {
        auto* b = new FlatButton(QString::fromStdString(s.shown_title()), this);
        b->setObjectName("character_stage_" + QString::fromStdString(s.id));
        b->setProperty("stage", QString::fromStdString(s.id));
        b->setWeight(FlatButton::Weight::raised);
        b->setCheckable(true);
        b->setEnabled(!s.stage_kind().lid && !s.missing());
        // What stands in every chain is for the voice, not for a character.
        b->setChecked(b->isEnabled() && !s.stage_kind().usual && !s.bypass);
        stages_.push_back(b);
        grid->addWidget(b, n / 4, n % 4);
        ++n;
    }
    column()->addLayout(grid);
    name_ = addField("character_name", tr("Character name"), [this] { keep(); });
    name_->setMaxLength(static_cast<int>(kMaxSceneName));
    note_ = addField("character_note", tr("Description"), [this] { keep(); });
    auto* done = new FlatButton(tr("Save"), this);
    done->setObjectName("character_done");
    done->setWeight(FlatButton::Weight::raised);
    connect(done, &FlatButton::clicked, this, &SaveCharacterPopover::keep);
    column()->addWidget(done, 0, Qt::AlignLeft);
    name_->setFocus();
}

void SaveCharacterPopover::keep() {
    std::vector<std::string> stages;
    for (const FlatButton* b : stages_) {
        if (b->isChecked()) stages.push_back(b->property("stage").toString().toStdString());
    }
    AppModel& app = actions_.app();
    if (app.characters().keep(app.mixer().current().chainModel(), stages, name_->text(), note_->text()))
        close();
}

}  // namespace reed::ui
