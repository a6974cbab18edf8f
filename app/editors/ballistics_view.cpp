#include "editors/ballistics_view.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/decibel.h"
#include "model/strips/strip_model.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/plain_text.h"

namespace reed::ui {
namespace {

constexpr double kRate = 48000.0;
constexpr double kStepMs = 1.0;
constexpr double kTone = 1000.0;

/// The value of a row; 0 where the kind has none.
double valueOf(const StageSpec& s, std::string_view id) {
    const int row = s.stage_kind().find(id);
    return row < 0 ? 0.0 : s.values[static_cast<size_t>(row)];
}

}  // namespace

BallisticsView::BallisticsView(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("ballistics_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Gain response to a loud burst"));
    setHint(this, tr("Gain of this stage when a tone gets loud (shaded) and quiet again. Shows attack, hold "
                     "and release to scale."));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
    later_.setSingleShot(true);
    later_.setInterval(80);
    connect(&later_, &QTimer::timeout, this, &BallisticsView::simulate);
    stage_.onChange(this, [this] {
        if (!later_.isActive()) later_.start();
    });
    simulate();
}

void BallisticsView::simulate() {
    const StageSpec* s = stage_.spec();
    if (s == nullptr || s->stage_kind().transfer == nullptr || s->values == simulated_values_) return;
    simulated_values_ = s->values;
    // Levels on either side of what it reacts to.
    double lowest = 0.0;
    double highest = -200.0;
    for (size_t i = 0; i < s->values.size(); ++i) {
        if (s->stage_kind().parameters[i].mark == DiagramMark::none) continue;
        lowest = std::min(lowest, s->values[i]);
        highest = std::max(highest, s->values[i]);
    }
    const double loud = std::min(6.0, highest + 12.0);
    const double quiet = lowest - 15.0;
    const StageKind::Timing& rows = s->stage_kind().timing;
    const double attack = std::max(1.0, valueOf(*s, rows.attack));
    const double release = std::max(1.0, valueOf(*s, rows.release));
    from_ms_ = 20.0;
    until_ms_ = from_ms_ + std::clamp(6.0 * attack + valueOf(*s, rows.lookahead), 60.0, 1500.0);
    length_ms_ = until_ms_ + std::min(6000.0, valueOf(*s, rows.hold) + 4.0 * release + 40.0);

    // Make-up that follows the voice would follow the burst here.
    std::vector<double> values = s->values;
    if (const int row = s->stage_kind().find(s->stage_kind().slow_row); row >= 0)
        values[static_cast<size_t>(row)] = 0.0;
    auto made = s->stage_kind().make();
    if (!made.ok()) return;
    const std::unique_ptr<Stage> stage = std::move(made.value());
    stage->prepare({kRate, 1}, values);
    // A second of quiet first, so that it starts at rest.
    const double lead = 1000.0;
    const int frames = static_cast<int>((lead + length_ms_ + 20.0) * 0.001 * kRate) / kSubBlock * kSubBlock;
    const int per_step = static_cast<int>(kRate * 0.001 * kStepMs);
    std::vector<float> in(static_cast<size_t>(frames));
    for (int i = 0; i < frames; ++i) {
        const double ms = i / kRate * 1000.0 - lead;
        const double level = ms >= from_ms_ && ms < until_ms_ ? loud : quiet;
        in[static_cast<size_t>(i)] =
            static_cast<float>(db_to_gain(level) * std::sin(2.0 * std::numbers::pi * kTone * i / kRate));
    }
    std::vector<float> out = in;
    for (int at = 0; at < frames; at += kSubBlock) {
        AudioBlock block;
        block.channels = 1;
        block.frames = kSubBlock;
        block.rows[0] = &out[static_cast<size_t>(at)];
        stage->begin_sub_block();
        stage->process(block);
    }
    // Whole periods of the tone on both sides, the delay taken out.
    gain_.clear();
    const int delay = stage->latency();
    for (int at = static_cast<int>(lead * 0.001 * kRate); at + per_step + delay <= frames; at += per_step) {
        double before = 1e-30;
        double after = 1e-30;
        for (int i = at; i < at + per_step; ++i) {
            before += static_cast<double>(in[static_cast<size_t>(i)]) * in[static_cast<size_t>(i)];
            const double y = out[static_cast<size_t>(i + delay)];
            after += y * y;
        }
        gain_.push_back(static_cast<float>(10.0 * std::log10(after / before)));
    }
    update();
}

double BallisticsView::gainAt(double ms) const {
    if (gain_.empty()) return 0.0;
    return gain_[std::min(gain_.size() - 1, static_cast<size_t>(std::max(0.0, ms / kStepMs)))];
}

void BallisticsView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    paintPlotGround(p, *this);
    const QRectF r = QRectF(rect()).adjusted(34, 8, -10, -20);
    if (gain_.empty()) return;
    const auto [low, high] = std::minmax_element(gain_.begin(), gain_.end());
    const double top = std::ceil(std::max(0.0f, *high) / 3.0) * 3.0;
    const double bottom = std::min(top - 6.0, std::floor(static_cast<double>(*low) / 3.0) * 3.0);
    const auto x_of = [&](double ms) { return r.left() + ms / length_ms_ * r.width(); };
    const LevelAxis axis{bottom, top};
    const auto y_of = [&](double db) { return axis.y(r, db); };
    p.fillRect(QRectF(x_of(from_ms_), r.top(), x_of(until_ms_) - x_of(from_ms_), r.height()), t.strawFill);
    axis.paint(p, r, static_cast<int>(top), static_cast<int>(top - bottom), 29);
    QPainterPath path;
    for (size_t i = 0; i < gain_.size(); ++i) {
        const QPointF at(x_of(kStepMs * static_cast<double>(i)), y_of(gain_[i]));
        if (at.x() > r.right()) break;
        path.elementCount() == 0 ? path.moveTo(at) : path.lineTo(at);
    }
    p.setRenderHint(QPainter::Antialiasing);
    p.strokePath(path, QPen(t.marsh, 1.8));
    p.setPen(t.muted);
    p.drawText(QRectF(r.left(), r.bottom() + 2, r.width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
               tr("burst response, dB"));
    p.drawText(QRectF(r.left(), r.bottom() + 2, r.width() + 4, 16), Qt::AlignRight | Qt::AlignVCenter,
               length_ms_ < 1500.0 ? tr("%1 ms").arg(length_ms_, 0, 'f', 0)
                                   : tr("%1 s").arg(length_ms_ / 1000, 0, 'f', 1));
}

}  // namespace reed::ui
