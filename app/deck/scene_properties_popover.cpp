#include "deck/scene_properties_popover.h"

#include <QHBoxLayout>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QVBoxLayout>

#include "model/scenes/scene_manager.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/strip_marker.h"
#include "widgets/value_field.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kWidth = 400, kNoteHeight = 84, kFieldHeight = 32;

constexpr Parameter kFade = parameter::number(
    "fade", "Transition time", Unit::milliseconds, 0.0, 1000.0 * kLongestFade, 1000.0 * Scene::kUsualFade,
    Scale::linear,
    "Length of the cross-fade when this scene is recalled. CPU load doubles during the transition.");

}  // namespace

ScenePropertiesPopover::ScenePropertiesPopover(SceneManager& shelf, const QString& name, QWidget* parent)
    : Panel("scene_about", tr("Properties of “%1”").arg(name), parent), shelf_(shelf) {
    setFixedWidth(kWidth);
    const SceneManager::About now = shelf_.about();
    colour_ = now.colour;
    addWords(Words::Ink::text, 16, true, name);
    const auto add = [&](QWidget* edit, const QString& words, const char* object_name,
                         const QString& short_name, int height) {
        addWords(Words::Ink::muted, 12, false, words);
        edit->setObjectName(object_name);
        edit->setAccessibleName(short_name);
        edit->setFont(ui::font(14));
        edit->setFixedHeight(height);
        column()->addWidget(edit);
    };
    note_ = new QPlainTextEdit(now.note, this);
    note_->setTabChangesFocus(true);
    add(note_, tr("Note, e.g. which microphone it is for"), "about_note", tr("Note"), kNoteHeight);
    group_ = new QLineEdit(now.group, this);
    group_->setMaxLength(static_cast<int>(kMaxSceneName));
    add(group_, tr("Group, e.g. “Evening shows”"), "about_group", tr("Group"), kFieldHeight);
    auto* row = new QHBoxLayout;
    row->setSpacing(2);
    for (int c = 0; c <= kStripColours; ++c) {
        const bool none = c == kStripColours;
        auto* b = new FlatButton(none ? tr("None") : QString(), this);
        if (!none) b->setSign(c);
        b->setObjectName(QStringLiteral("about_colour_%1").arg(none ? -1 : c));
        b->setAccessibleName(none ? tr("No colour") : stripColourName(c));
        setHint(b, none ? tr("No colour") : stripColourName(c));
        b->setCheckable(true);
        connect(b, &FlatButton::clicked, this, [this, c, none] {
            colour_ = none ? std::nullopt : std::optional(c);
            mark();
            keep();
        });
        colours_.push_back(b);
        row->addWidget(b);
    }
    row->addStretch(1);
    column()->addLayout(row);
    fade_ = new ValueField(kFade, this);
    fade_->setObjectName("about_fade");
    setHint(fade_, tr(kFade.hint.data()));
    fade_->setValue(1000.0 * now.fade);
    connect(fade_, &ValueField::valueRequested, this, [this](double ms) { fade_->setValue(ms); });
    connect(fade_, &ValueField::finished, this, &ScenePropertiesPopover::keep);
    column()->addWidget(fade_);
    mark();
    note_->setFocus();
}

void ScenePropertiesPopover::mark() {
    for (size_t i = 0; i < colours_.size(); ++i)
        colours_[i]->setChecked(colour_ ? static_cast<size_t>(*colour_) == i : i + 1 == colours_.size());
}

void ScenePropertiesPopover::keep() {
    shelf_.setAbout({note_->toPlainText(), group_->text(), colour_, fade_->value() / 1000.0});
}

void ScenePropertiesPopover::closeEvent(QCloseEvent* event) {
    keep();
    QWidget::closeEvent(event);
}

}  // namespace reed::ui
