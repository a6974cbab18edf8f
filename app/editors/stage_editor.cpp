#include "editors/stage_editor.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QPainter>
#include <QVBoxLayout>

#include "editors/eq_curve.h"
#include "editors/octave_view.h"
#include "editors/time_view.h"
#include "measure/advice.h"
#include "session/session.h"
#include "stages/equalizer.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/value_field.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {
constexpr int kRows = 6;
}  // namespace

StageEditor::StageEditor(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
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
    bypass_->setToolTip(tr("Let the sound pass this stage unchanged, with the same delay"));
    connect(bypass_, &FlatButton::clicked, this,
            [this](bool on) { session_.setBypass(session_.focused(), on); });
    header->addWidget(title_);
    header->addWidget(purpose_, 1);
    header->addWidget(bypass_);
    column->addLayout(header);
    body_ = new QWidget(this);
    column->addWidget(body_, 1);
    advice_ = new Words(Words::Ink::muted, this);
    advice_->setObjectName("advice");
    advice_->setWordWrap(true);
    advice_->setFont(ui::font(14));
    advice_->setMinimumHeight(20);
    column->addWidget(advice_);
    connect(&session_, &Session::chainChanged, this, [this] { show(false); });
    connect(&session_, &Session::focusChanged, this, [this] { show(false); });
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
    for (const auto& [index, f] : fields_) {
        if (f->objectName() == parameter_id) return f;
    }
    return nullptr;
}

void StageEditor::show(bool rebuild) {
    const StageSpec* s = session_.stage(session_.focused());
    const QString id = s == nullptr ? QString() : QString::fromStdString(s->id);
    const QString kind = s == nullptr ? QString() : QString::fromStdString(s->kind);
    if (rebuild || id != shown_stage_ || kind != shown_kind_) {
        shown_stage_ = id;
        shown_kind_ = kind;
        fields_.clear();
        curve_ = nullptr;
        octaves_ = nullptr;
        listen_ = nullptr;
        auto* fresh = new QWidget(this);
        static_cast<QVBoxLayout*>(layout())->replaceWidget(body_, fresh);
        body_->hide();
        body_->deleteLater();
        body_ = fresh;
        if (s != nullptr) s->kind == "equalizer" ? buildEqualizer() : buildFields();
        fresh->show();
        updateAdvice();
    }
    bypass_->setVisible(s != nullptr);
    if (s == nullptr) {
        title_->setText(tr("No stage"));
        purpose_->setText(tr("Add one with the + on the signal's path."));
        return;
    }
    title_->setText(
        title_->fontMetrics().elidedText(QString::fromStdString(s->shown_title()), Qt::ElideRight, 320));
    purpose_->setText(text(s->stage_kind().purpose));
    bypass_->setChecked(s->bypass);
    bypass_->setText(s->bypass ? tr("Bypassed") : tr("Bypass"));
    for (auto& [index, f] : fields_) f->setValue(s->values[index]);
    if (curve_ != nullptr) showRelevant();
}

void StageEditor::showRelevant() {
    const StageSpec* s = session_.stage(session_.focused());
    const int listened = static_cast<int>(s->values[kListenRow]);
    if (listen_ != nullptr) {
        listen_->setChecked(listened > 0);
        listen_->setText(listened > 0 ? tr("Listening to %1").arg(listened) : tr("Listen"));
    }
    const BandSettings b = band_settings(s->values, curve_->band());
    const bool cut = b.type == FilterType::low_cut || b.type == FilterType::high_cut;
    const bool tilt = b.type == FilterType::tilt;
    for (auto& [index, f] : fields_) {
        const size_t p = index % kBandParameters;
        bool relevant = true;
        if (p == kBandGain) relevant = !cut && b.type != FilterType::notch;
        if (p == kBandQ) relevant = !tilt && (!cut || b.slope == 12);
        if (p == kBandSlope) relevant = cut;
        f->setVisible(relevant);
    }
}

void StageEditor::addField(size_t parameter, int row, int column) {
    const StageSpec* s = session_.stage(session_.focused());
    auto* f = new ValueField(s->stage_kind().parameters[parameter], fields_box_);
    f->setValue(s->values[parameter]);
    f->setMinimumWidth(168);
    connect(f, &ValueField::valueWanted, this,
            [this, parameter](double v) { session_.setValue(session_.focused(), parameter, v); });
    connect(f, &ValueField::finished, this, [this] { session_.closeStep(); });
    connect(f, &ValueField::refused, this, [this](const QString& why) { emit session_.message(why, true); });
    grid_->addWidget(f, row, column);
    fields_.emplace_back(parameter, f);
}

void StageEditor::buildFields() {
    const StageSpec* s = session_.stage(session_.focused());
    const auto count = static_cast<int>(s->values.size());
    auto* line = new QHBoxLayout(body_);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    auto* view = new TimeView(session_, body_);
    line->addWidget(view, 5);
    fields_box_ = new QWidget(body_);
    grid_ = new QGridLayout(fields_box_);
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setHorizontalSpacing(14);
    grid_->setVerticalSpacing(1);
    const int columns = count > kRows ? 2 : 1;
    const int rows = (count + columns - 1) / columns;
    for (int i = 0; i < count; ++i) addField(static_cast<size_t>(i), i % rows, i / rows);
    grid_->setRowStretch(rows, 1);
    line->addWidget(fields_box_, columns == 2 ? 7 : 4);
}

void StageEditor::buildEqualizer() {
    auto* line = new QHBoxLayout(body_);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(16);
    curve_ = new EqCurve(session_, body_);
    line->addWidget(curve_, 3);
    octaves_ = new OctaveView(session_, body_);
    line->addWidget(octaves_, 3);
    octaves_->setVisible(show_octaves_);
    curve_->setVisible(!show_octaves_);
    fields_box_ = new QWidget(body_);
    fields_box_->setFixedWidth(210);
    grid_ = new QGridLayout(fields_box_);
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setVerticalSpacing(1);
    line->addWidget(fields_box_);
    auto* chooser = new QHBoxLayout;
    auto* back = new FlatButton(QStringLiteral("<"), fields_box_);
    auto* name = new Words(Words::Ink::text, fields_box_);
    auto* forth = new FlatButton(QStringLiteral(">"), fields_box_);
    back->setAccessibleName(tr("Previous band"));
    forth->setAccessibleName(tr("Next band"));
    forth->setObjectName("next_band");
    back->setObjectName("previous_band");
    name->setObjectName("band_name");
    name->setFont(ui::font(14, true));
    name->setAlignment(Qt::AlignCenter);
    chooser->addWidget(back);
    chooser->addWidget(name, 1);
    chooser->addWidget(forth);
    grid_->addLayout(chooser, 0, 0);
    const auto show_band = [this, name](int band) {
        const StageSpec* now = session_.stage(session_.focused());
        // What is listened to follows the choice.
        if (now != nullptr && now->values[kListenRow] > 0)
            session_.setValue(session_.focused(), kListenRow, band + 1);
        for (auto& [index, f] : fields_) {
            grid_->removeWidget(f);  // at once: two sets of fields would push the curve about
            f->hide();
            f->deleteLater();
        }
        fields_.clear();
        name->setText(tr("Band %1 of %2").arg(band + 1).arg(kEqualizerBands));
        for (int p = 0; p < kBandParameters; ++p) {
            addField(static_cast<size_t>(band * kBandParameters + p), p + 1, 0);
        }
        showRelevant();
    };
    connect(curve_, &EqCurve::bandChosen, this, show_band);
    connect(back, &FlatButton::clicked, this,
            [this] { curve_->chooseBand(std::max(0, curve_->band() - 1)); });
    connect(forth, &FlatButton::clicked, this,
            [this] { curve_->chooseBand(std::min(kEqualizerBands - 1, curve_->band() + 1)); });
    grid_->setRowStretch(kBandParameters + 1, 1);
    auto* views = new QHBoxLayout;
    auto* listen = new FlatButton(tr("Listen"), fields_box_);
    listen->setObjectName("listen_button");
    listen->setCheckable(true);
    listen->setWeight(FlatButton::Weight::raised);
    listen->setToolTip(
        tr("Hear the range of this band alone. The feed carries it too, until you switch it off."));
    connect(listen, &FlatButton::clicked, this, [this](bool on) {
        session_.setValue(session_.focused(), kListenRow, on ? curve_->band() + 1 : 0);
    });
    auto* octaves = new FlatButton(tr("Octaves"), fields_box_);
    octaves->setObjectName("octaves_button");
    octaves->setCheckable(true);
    octaves->setChecked(show_octaves_);
    octaves->setWeight(FlatButton::Weight::raised);
    octaves->setToolTip(tr("Ten sliders in place of the curve; they use bands 7 to 16"));
    connect(octaves, &FlatButton::clicked, this, [this](bool on) {
        show_octaves_ = on;
        octaves_->setVisible(on);
        curve_->setVisible(!on);
    });
    listen_ = listen;
    views->addWidget(listen);
    views->addWidget(octaves);
    views->addStretch(1);
    grid_->addLayout(views, kBandParameters + 2, 0);
    show_band(curve_->band());
}

void StageEditor::updateAdvice() {
    const int index = session_.chain().index_of(session_.focused());
    Advice a;
    if (index >= 0 && session_.levelsFit())
        a = stage_advice(session_.chain(), static_cast<size_t>(index), session_.levels());
    advice_->show(a);
}

}  // namespace reed::ui
