#include "rail/strip_sidebar.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "actions/actions.h"
#include "mixer/strip_parameters.h"
#include "rail/strip_tile.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/value_field.h"

namespace reed::ui {
namespace {

constexpr int kWidth = 172;
constexpr size_t kTall = 3, kWithFader = 6;  // strips that have so much room at 1280x800

}  // namespace

StripSidebar::StripSidebar(Actions& actions, QWidget* parent) : QWidget(parent), actions_(actions) {
    setObjectName("strip_rail");
    setAccessibleName(tr("Strips"));
    setFixedWidth(kWidth);
    column_ = new QVBoxLayout(this);
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(4);
    column_->addStretch(1);
    fader_ = new ValueField(strip_parameters()[kStripFader], this);
    fader_->setObjectName("strip_fader");
    connect(fader_, &ValueField::valueRequested, this,
            [this](double db) { actions_.strip().chainModel().setFader(db); });
    connect(fader_, &ValueField::finished, this, [this] { actions_.strip().chainModel().closeStep(); });
    connect(fader_, &ValueField::refused, this,
            [this](const QString& why) { actions_.strip().notices().warn(why); });
    column_->addWidget(fader_);
    auto* more = new QHBoxLayout;
    more->setSpacing(4);
    const auto button = [&](const char* name, const QString& words, const QString& tip, const char* action) {
        auto* b = new FlatButton(words, this);
        b->setObjectName(name);
        b->setIconName("plus");
        setHint(b, tip);
        connect(b, &FlatButton::clicked, this, [this, action] { actions_.act(action); });
        more->addWidget(b);
        return b;
    };
    voice_ = button("add_voice_button", tr("Voice"), tr("Another microphone with a chain of its own"),
                    "add-voice");
    programme_ = button("add_programme_button", tr("App"),
                        tr("Audio from other apps, mixed under the voices"), "add-app-audio");
    column_->addLayout(more);
    MixerModel& desk = actions_.app().mixer();
    connect(&desk, &MixerModel::focusChanged, this, &StripSidebar::showFader);
    connect(&desk, &MixerModel::changed, this, &StripSidebar::showFader);
    rebuild();
}

void StripSidebar::setFooter(QWidget* foot) {
    column_->insertWidget(column_->indexOf(fader_), foot);
}

void StripSidebar::rebuild() {
    const auto& strips = actions_.app().mixer().strips();
    // Later: one of them may have asked for this, in the middle of an event of its own.
    for (StripTile* tile : tiles_) {
        tile->hide();
        column_->removeWidget(tile);
        disconnect(&actions_.app().mixer(), nullptr, tile, nullptr);
        tile->deleteLater();
    }
    tiles_.clear();
    for (size_t i = 0; i < strips.size(); ++i) {
        auto* tile = new StripTile(actions_, *strips[i], this);
        tile->setPlace(static_cast<int>(i) + 1);
        tile->setCompact(strips.size() > kTall);
        column_->insertWidget(static_cast<int>(i), tile);
        tiles_.push_back(tile);
    }
    setVisible(strips.size() > 1);
    // The wheel over a tile moves its fader too.
    fader_->setVisible(strips.size() <= kWithFader);
    showFader();
}

void StripSidebar::showFader() {
    const StripModel& now = actions_.strip();
    fader_->setValue(now.chainModel().spec().fader);
    fader_->setAccessibleName(tr("Fader of %1").arg(now.name()));
}

}  // namespace reed::ui
