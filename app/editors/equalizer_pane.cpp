#include "editors/equalizer_pane.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "editors/eq_curve.h"
#include "editors/field_grid.h"
#include "editors/graphic_eq_view.h"
#include "model/strips/strip_model.h"
#include "stages/equalizer.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

FlatButton* stepButton(const QString& sign, const char* name, const QString& accessible, QWidget* parent) {
    auto* b = new FlatButton(sign, parent);
    b->setObjectName(name);
    b->setAccessibleName(accessible);
    return b;
}

}  // namespace

EqualizerPane::EqualizerPane(StripModel& strip, const StageRef& stage, QWidget* parent)
    : StagePane(strip, stage, parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    const bool by_octaves = strip_.context().preferences.octaves();
    curve_ = new EqCurve(strip_, stage, this);
    octaves_ = new GraphicEqView(strip_, stage, this);
    line->addWidget(curve_, 3);
    line->addWidget(octaves_, 3);

    auto* side = new QWidget(this);
    side->setFixedWidth(210);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(1);
    band_ = new QWidget(side);
    auto* chooser = new QHBoxLayout(band_);
    chooser->setContentsMargins(0, 0, 0, 0);
    auto* back = stepButton(QStringLiteral("<"), "previous_band", tr("Previous band"), side);
    auto* forth = stepButton(QStringLiteral(">"), "next_band", tr("Next band"), side);
    name_ = new Words(Words::Ink::text, side);
    name_->setObjectName("band_name");
    name_->setFont(ui::font(14, true));
    name_->setAlignment(Qt::AlignCenter);
    chooser->addWidget(back);
    chooser->addWidget(name_, 1);
    chooser->addWidget(forth);
    moves_ = new FlatButton(tr("Dynamics"), side);
    moves_->setObjectName("moves_button");
    moves_->setCheckable(true);
    moves_->setWeight(FlatButton::Weight::raised);
    setHint(moves_, tr("Dynamic settings of this band: cut when it is loud, boost when it is quiet"));
    connect(moves_, &FlatButton::clicked, this, [this] { showBand(curve_->band()); });
    chooser->addWidget(moves_);
    column->addWidget(band_);
    grid_ = new FieldGrid(strip_, stage, side);
    column->addWidget(grid_);
    graphic_ = addWordsBelow(*column, side, "graphic_words", 13);
    graphic_->setText(
        tr("Ten sliders, one octave apart. They use bands 7 to 16. The yellow curve is the sum of all "
           "bands; bands 1 to 6 are set on the curve."));
    flat_ = new FlatButton(tr("Set all to 0 dB"), side);
    flat_->setObjectName("flat_button");
    flat_->setWeight(FlatButton::Weight::raised);
    setHint(flat_, tr("Reset the ten sliders (can be undone)"));
    connect(flat_, &FlatButton::clicked, octaves_, &GraphicEqView::reset);
    column->addWidget(flat_, 0, Qt::AlignLeft);
    column->addStretch(1);

    auto* views = new QHBoxLayout;
    listen_ = new FlatButton(tr("Solo"), side);
    listen_->setObjectName("listen_button");
    listen_->setCheckable(true);
    listen_->setWeight(FlatButton::Weight::raised);
    setHint(listen_, tr("Play this band alone. Your audience hears this too until you turn it off."));
    connect(listen_, &FlatButton::clicked, this,
            [this](bool on) { stage_.set(kListenRow, on ? curve_->band() + 1 : 0); });
    auto* octaves = new FlatButton(tr("Graphic EQ"), side);
    octaves->setObjectName("octaves_button");
    octaves->setCheckable(true);
    octaves->setChecked(by_octaves);
    octaves->setWeight(FlatButton::Weight::raised);
    setHint(octaves, tr("Show ten octave sliders (they use bands 7 to 16)"));
    connect(octaves, &FlatButton::clicked, this, [this](bool on) {
        strip_.context().preferences.setOctaves(on);
        showGraphic(on);
    });
    find_ = new FlatButton(tr("Sweep"), side);
    find_->setObjectName("find_button");
    find_->setCheckable(true);
    find_->setWeight(FlatButton::Weight::raised);
    setHint(find_, tr("A narrow boost sweeps the spectrum or follows the mouse. Click where it rings to "
                      "cut there. Your audience hears this too. Shortcut: hold F."));
    connect(find_, &FlatButton::clicked, this, [this](bool on) { curve_->setFinding(on); });
    connect(curve_, &EqCurve::findingChanged, find_, &FlatButton::setChecked);
    views->addWidget(find_);
    views->addWidget(listen_);
    views->addWidget(octaves);
    views->addStretch(1);
    column->addLayout(views);
    line->addWidget(side);

    connect(curve_, &EqCurve::bandChosen, this, &EqualizerPane::showBand);
    connect(back, &FlatButton::clicked, this,
            [this] { curve_->chooseBand(std::max(0, curve_->band() - 1)); });
    connect(forth, &FlatButton::clicked, this,
            [this] { curve_->chooseBand(std::min(kEqualizerBands - 1, curve_->band() + 1)); });
    showBand(curve_->band());
    showGraphic(by_octaves);
}

void EqualizerPane::showGraphic(bool on) {
    octaves_->setVisible(on);
    curve_->setVisible(!on);
    band_->setVisible(!on);
    grid_->setVisible(!on);
    graphic_->setVisible(on);
    flat_->setVisible(on);
    find_->setVisible(!on);
    listen_->setVisible(!on);
}

void EqualizerPane::showBand(int band) {
    const StageSpec* now = stage_.spec();
    // What is listened to follows the choice.
    if (now != nullptr && now->values[kListenRow] > 0) stage_.set(kListenRow, band + 1);
    name_->setText(tr("Band %1").arg(band + 1));
    std::vector<size_t> rows;
    const bool moves = moves_->isChecked();
    for (int p = moves ? kBandMoves : kBandOn; p < (moves ? kBandParameters : kBandMoves); ++p)
        rows.push_back(static_cast<size_t>(band * kBandParameters + p));
    grid_->build(rows, kBandParameters);
    showRelevant();
}

void EqualizerPane::refresh() {
    grid_->refresh();
    showRelevant();
}

void EqualizerPane::showRelevant() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr) return;
    const int listened = static_cast<int>(s->values[kListenRow]);
    listen_->setChecked(listened > 0);
    listen_->setText(listened > 0 ? tr("Solo: %1").arg(listened) : tr("Solo"));
    const BandSettings b = band_settings(s->values, curve_->band());
    const bool cut = b.type == FilterType::low_cut || b.type == FilterType::high_cut;
    const bool tilt = b.type == FilterType::tilt;
    const auto row = [this](BandParameter p) {
        return static_cast<size_t>(curve_->band() * kBandParameters + p);
    };
    grid_->setRelevant(row(kBandGain), !cut && b.type != FilterType::notch);
    grid_->setRelevant(row(kBandQ), !tilt && (!cut || b.slope == 12));
    grid_->setRelevant(row(kBandSlope), cut);
    const bool moves = can_move(b.type) && band_motion(s->values, curve_->band()).moves != DynamicMode::stays;
    for (const auto p : {kBandThreshold, kBandRatio, kBandAttack, kBandRelease, kBandDepth})
        grid_->setRelevant(row(p), moves);
    moves_->setEnabled(can_move(b.type));
    if (!can_move(b.type) && moves_->isChecked()) {
        moves_->setChecked(false);
        showBand(curve_->band());
    }
}

}  // namespace reed::ui
