#include "deck/characters_button.h"

#include <QHBoxLayout>
#include <utility>

#include "actions/actions.h"
#include "deck/characters_popover.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"

namespace reed::ui {

namespace {
constexpr int kWidest = 170;  // however long the name is
}

CharactersButton::CharactersButton(Actions& actions, QWidget* parent)
    : QWidget(parent), actions_(actions), button_(new FlatButton({}, this)) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->addWidget(button_);
    button_->setObjectName("characters_button");
    button_->setIconName("mask");
    button_->setAccessibleName(tr("Characters"));
    button_->setCheckable(true);
    button_->setMaximumWidth(kWidest);
    connect(button_, &FlatButton::clicked, this, &CharactersButton::open);
    AppModel& app = actions_.app();
    for (const auto signal :
         {&MixerModel::stripsChanged, &MixerModel::focusChanged, &MixerModel::characterChanged})
        connect(&app.mixer(), signal, this, &CharactersButton::mark);
    connect(&app.preferences().keys(), &Keys::changed, this, &CharactersButton::mark);
    mark();
}

void CharactersButton::mark() {
    const QString name = QString::fromStdString(actions_.app().mixer().voice().chainModel().character());
    button_->setText(name.isEmpty() && labelled_ ? tr("Characters") : name);
    button_->setChecked(!name.isEmpty());
    button_->setWeight(name.isEmpty() ? FlatButton::Weight::plain : FlatButton::Weight::raised);
    const Keys& keys = actions_.app().preferences().keys();
    const QString off = keys.text("character-off");
    setHint(button_, name.isEmpty()  ? keys.hint(tr("Characters: effects for the whole voice"), "characters")
                     : off.isEmpty() ? tr("Character on: %1").arg(name)
                                     : tr("Character on: %1 (%2 turns it off)").arg(name, off));
    button_->updateGeometry();
}

void CharactersButton::setLabelled(bool labelled) {
    if (labelled == std::exchange(labelled_, labelled)) return;
    mark();
}

void CharactersButton::open() {
    mark();  // a click has turned the mark
    (new CharactersPopover(actions_, this))->openBelow(*this, true);
}

}  // namespace reed::ui
