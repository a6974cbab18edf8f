#include "editors/level_history_view.h"

#include <QPainter>
#include <QPainterPath>

#include "base/decibel.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"

namespace reed::ui {
namespace {
constexpr int kPieces = 600;  // of 10 ms
constexpr int kPerPoint = 3;
constexpr LevelAxis kAxis;
}  // namespace

LevelHistoryView::LevelHistoryView(StripModel& strip, const StageRef& stage, QWidget* parent)
    : QWidget(parent), strip_(strip), stage_(stage) {
    setObjectName("time_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Level before and after this stage over the last six seconds"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    connect(&strip_, &StripModel::readingsChanged, this, &LevelHistoryView::follow);
    stage_.onChange(this, [this] { update(); });
    connect(&strip_.chainModel(), &ChainModel::focusChanged, this, [this] { update(); });
}

void LevelHistoryView::findCuts() {
    const StageSpec* s = stage_.spec();
    cuts_.clear();
    // Only what closes in pauses can cut words.
    if (s == nullptr || s->bypass || !s->stage_kind().closes_in_pauses) return;
    cuts_ = strip_.readings().statistics().truncated_words(static_cast<size_t>(stage_.index()));
}

void LevelHistoryView::follow() {
    if (!isVisible()) return;
    const auto& frames = strip_.readings().statistics().frames(0);
    const std::int64_t newest = frames.empty() ? -1 : frames.back().index / (2 * kPerPoint);
    if (newest == drawn_) return;
    drawn_ = newest;
    if (++fresh_ % 6 == 0) findCuts();
    update();
}

std::vector<const std::deque<TapFrame>*> LevelHistoryView::heard() const {
    const StageSpec* s = stage_.spec();
    if (s == nullptr || s->key.empty() || !s->stage_kind().accepts_sidechain) return {};
    std::vector<const std::deque<TapFrame>*> out;
    for (StripModel* strip : strip_.sidechainSources(s->key)) {
        const LevelStatistics& levels = strip->readings().statistics();
        if (levels.taps() > 0) out.push_back(&levels.frames(levels.taps() - 1));
    }
    return out;
}

/// Each strip has its own clock; the newest value is at the right edge.
QPainterPath LevelHistoryView::heardPath(const QRectF& r,
                                         const std::vector<const std::deque<TapFrame>*>& heard) const {
    QPainterPath path;
    path.moveTo(r.bottomLeft());
    for (int back = kPieces; back >= kPerPoint; back -= kPerPoint) {
        double power = 0.0;
        for (const auto* frames : heard) {
            const auto n = static_cast<int>(frames->size());
            // By whole points, so that it does not shimmer.
            const int late = frames->empty() ? 0 : static_cast<int>(frames->back().index % kPerPoint);
            for (int k = 0; k < kPerPoint; ++k) {
                const int at = n - back - late + k;
                if (at >= 0 && at < n) power += frames->at(static_cast<size_t>(at)).mean_square;
            }
        }
        path.lineTo(r.right() - static_cast<double>(back) / kPieces * r.width(),
                    kAxis.y(r, mean_square_to_dbfs(power / kPerPoint)));
    }
    path.lineTo(r.bottomRight());
    return path;
}

void LevelHistoryView::paintReduction(QPainter& p, const QRectF& r, const std::deque<TapFrame>& after,
                                      std::int64_t end) const {
    const Theme& t = theme();
    QPainterPath path;
    for (std::int64_t at = end - kPieces; at < end; at += kPerPoint) {
        const std::int64_t offset = at - after.front().index;
        if (offset < 0 || offset + kPerPoint > static_cast<std::int64_t>(after.size())) continue;
        float most = 0.0f;
        for (int k = 0; k < kPerPoint; ++k)
            most = std::max(most, after[static_cast<size_t>(offset + k)].reduction_db);
        const double x = r.right() - static_cast<double>(end - at) / kPieces * r.width();
        const QPointF point(x, kAxis.y(r, -most));
        path.elementCount() == 0 ? path.moveTo(point) : path.lineTo(point);
    }
    p.strokePath(path, QPen(t.marsh, 1.6));
}

void LevelHistoryView::paintCuts(QPainter& p, const QRectF& r,
                                 const std::function<double(std::int64_t)>& x_of) const {
    const Theme& t = theme();
    p.setFont(ui::font(12));
    double labelled = -1e9;
    for (const TruncatedWord& cut : cuts_) {
        const double x = x_of(cut.index);
        if (x < r.left() || x > r.right()) continue;
        // A bracket on the side that is missing, and the word for it.
        const double side = cut.beginning ? 7.0 : -7.0;
        p.setPen(QPen(t.ember, 2.0));
        p.drawLine(QPointF(x, r.bottom() - 26), QPointF(x, r.bottom() - 2));
        p.drawLine(QPointF(x, r.bottom() - 2), QPointF(x + side, r.bottom() - 2));
        p.drawLine(QPointF(x, r.bottom() - 26), QPointF(x + side, r.bottom() - 26));
        const QString word = cut.beginning ? tr("start cut off") : tr("end cut off");
        const double w = p.fontMetrics().horizontalAdvance(word) + 6;
        const QRectF box(std::clamp(x - w / 2, r.left(), r.right() - w), r.bottom() - 44, w, 15);
        if (box.left() < labelled) continue;  // no room for the label; the bracket remains
        labelled = box.right() + 4;
        QColor plate = t.sunken;
        plate.setAlpha(215);
        p.fillRect(box, plate);
        p.drawText(box, Qt::AlignCenter, word);
    }
}

void LevelHistoryView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    const QRectF r = QRectF(rect()).adjusted(34, 10, -8, -22);
    const auto y_of = [&](double db) { return kAxis.y(r, db); };
    const StageSpec* stage = stage_.spec();
    const auto others = heard();
    const QString legend = !others.empty() ? tr("6 s: sidechain (filled), input, reduction")
                           : stage != nullptr && stage->stage_kind().reports_reduction
                               ? tr("6 s: in, out, reduction")
                               : tr("6 s: in (line), out (filled)");
    still_.paint(p, *this, legend, [&](QPainter& layer) {
        paintPlotGround(layer, *this);
        kAxis.paint(layer, r, 0, 20, 29);
        layer.drawText(QRectF(r.left(), r.bottom() + 3, r.width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
                       layer.fontMetrics().elidedText(legend, Qt::ElideRight, static_cast<int>(r.width())));
    });

    const int index = stage_.index();
    const LevelStatistics& statistics = strip_.readings().statistics();
    if (index < 0 || static_cast<size_t>(index) + 1 >= statistics.taps()) return;
    const auto& before = statistics.frames(static_cast<size_t>(index));
    const auto& after = statistics.frames(static_cast<size_t>(index) + 1);
    if (before.empty() || after.empty()) return;
    // Points stand at fixed multiples of pieces, so that the picture scrolls without shimmering.
    const std::int64_t end = std::min(before.back().index, after.back().index) / kPerPoint * kPerPoint;
    const auto path_of = [&](const std::deque<TapFrame>& frames, bool closed) {
        QPainterPath path;
        double last_x = r.left();
        for (std::int64_t at = end - kPieces; at < end; at += kPerPoint) {
            const std::int64_t offset = at - frames.front().index;
            if (offset < 0 || offset + kPerPoint > static_cast<std::int64_t>(frames.size())) continue;
            double power = 0.0;
            for (int k = 0; k < kPerPoint; ++k) power += frames[static_cast<size_t>(offset + k)].mean_square;
            const double x = r.right() - static_cast<double>(end - at) / kPieces * r.width();
            const double y = y_of(mean_square_to_dbfs(power / kPerPoint));
            if (path.elementCount() == 0) {
                path.moveTo(x, closed ? r.bottom() : y);
            }
            path.lineTo(x, y);
            last_x = x;
        }
        if (closed && path.elementCount() > 0) path.lineTo(last_x, r.bottom());
        return path;
    };
    const StageSpec& s = strip_.chainModel().chain().stages[static_cast<size_t>(index)];
    p.setClipRect(r);
    p.setRenderHint(QPainter::Antialiasing, false);  // of so pale an edge it is not seen, and costs half
    p.fillPath(others.empty() ? path_of(after, true) : heardPath(r, others), t.strawFill);
    p.setRenderHint(QPainter::Antialiasing);
    p.strokePath(path_of(before, false), QPen(t.now, 1.0));
    const auto x_of = [&](std::int64_t at) {
        return r.right() - static_cast<double>(end - at) / kPieces * r.width();
    };
    if (s.stage_kind().reports_reduction && !s.bypass) paintReduction(p, r, after, end);
    paintCuts(p, r, x_of);
    const auto& table = s.stage_kind().parameters;
    for (size_t i = 0; i < table.size(); ++i) {
        if (table[i].mark == DiagramMark::none) continue;
        p.setPen(QPen(t.marsh, 1.3, Qt::DashLine));
        p.drawLine(QPointF(r.left(), y_of(s.values[i])), QPointF(r.right(), y_of(s.values[i])));
    }
}

}  // namespace reed::ui
