#include "editors/tone_pane.h"

#include <QHBoxLayout>
#include <QVBoxLayout>
#include <cmath>

#include "editors/field_grid.h"
#include "editors/tone_view.h"
#include "model/strips/strip_model.h"
#include "stages/equalizer.h"
#include "stages/tone.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {

TonePane::TonePane(StripModel& strip, const StageRef& stage, QWidget* parent)
    : StagePane(strip, stage, parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(14);
    curve_ = new ToneCurve(strip, stage, this);
    line->addWidget(curve_, 1);
    auto* side = new QWidget(this);
    side->setFixedWidth(230);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    grid_ = new FieldGrid(strip, stage, side);
    grid_->buildAll(6);
    column->addWidget(grid_);
    told_ = addWordsBelow(*column, side, "tone_words", 12);
    column->addStretch(1);
    auto* open = new FlatButton(tr("Open as an equalizer"), side);
    open->setObjectName("tone_as_equalizer");
    open->setWeight(FlatButton::Weight::raised);
    setHint(open, tr("Replace this stage with an equalizer that sounds the same"));
    connect(open, &FlatButton::clicked, this, &TonePane::openAsEqualizer);
    column->addWidget(open, 0, Qt::AlignLeft);
    line->addWidget(side);
    connect(&strip, &StripModel::readingsChanged, this, [this] {
        if (!isVisible() || ++ticks_ % 8 != 0) return;
        if (const QString words = curve_->words(); words != told_->text()) told_->setText(words);
    });
    told_->setText(curve_->words());
    refresh();
}

void TonePane::refresh() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    grid_->refresh();
    const bool by_hand = s->values[kToneFollow] < 0.5;
    grid_->setRelevant(kToneBodyAt, by_hand);
    grid_->setRelevant(kToneClarityAt, by_hand);
}

void TonePane::openAsEqualizer() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    StageSpec equalizer = new_stage({}, kEqualizerStage);
    equalizer.values = tone_as_equalizer(s->values, curve_->bodyAt(), curve_->clarityAt());
    equalizer.bypass = s->bypass;
    std::vector<StageSpec> stages{equalizer};
    // The loudness compensation of this stage is not automatic in an equalizer.
    const auto all = strip_.engine().chain().readouts(*s);
    const double turned = all.size() > kToneLoudness ? static_cast<double>(all[kToneLoudness]) : 0.0;
    if (std::abs(turned) >= 0.3) {
        StageSpec gain = new_stage({}, *find_stage_kind("gain"));
        gain.set("gain", std::round(10.0 * turned) / 10.0);
        gain.bypass = s->bypass;
        stages.push_back(gain);
    }
    strip_.chainModel().replaceStage(s->id, stages,
                                     tr("%1 as an equalizer").arg(QString::fromStdString(s->shown_title())));
}

}  // namespace reed::ui
