#include "editors/time_view.h"

#include <QPainter>
#include <QPainterPath>

#include "base/decibel.h"
#include "session/session.h"
#include "theme/theme.h"
#include "widgets/input.h"

namespace reed::ui {
namespace {
constexpr int kPieces = 600;  // of 10 ms
constexpr int kPerPoint = 3;
constexpr double kLow = -80.0;
}  // namespace

TimeView::TimeView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("time_view");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Level before and after this stage over the last six seconds"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    connect(&session_, &Session::readingsChanged, this, &TimeView::follow);
    connect(&session_, &Session::chainChanged, this, [this] { update(); });
    connect(&session_, &Session::focusChanged, this, [this] { update(); });
}

void TimeView::follow() {
    if (!isVisible()) return;
    const auto& frames = session_.readings().statistics().frames(0);
    const std::int64_t newest = frames.empty() ? -1 : frames.back().index / (2 * kPerPoint);
    if (newest == drawn_) return;
    drawn_ = newest;
    update();
}

void TimeView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    paintPlotGround(p, *this);
    const QRectF r = QRectF(rect()).adjusted(34, 10, -8, -22);
    const auto y_of = [&](double db) { return r.top() + std::clamp(-db / -kLow, 0.0, 1.0) * r.height(); };
    p.setFont(ui::font(12));
    for (int db = 0; db >= kLow; db -= 20) {
        p.setPen(QPen(t.line, 0.8));
        p.drawLine(QPointF(r.left(), y_of(db)), QPointF(r.right(), y_of(db)));
        p.setPen(t.muted);
        p.drawText(QRectF(0, y_of(db) - 8, 29, 16), Qt::AlignRight | Qt::AlignVCenter, QString::number(db));
    }
    const QString legend = tr("last 6 s: in (line), out (filled), dBFS");
    p.drawText(QRectF(r.left(), r.bottom() + 3, r.width(), 16), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(legend, Qt::ElideRight, static_cast<int>(r.width())));

    const int index = session_.chain().index_of(session_.focused());
    const LevelStatistics& statistics = session_.readings().statistics();
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
    p.setClipRect(r);
    p.fillPath(path_of(after, true), t.strawFill);
    p.strokePath(path_of(before, false), QPen(t.now, 1.0));
    const StageSpec& s = session_.chain().stages[static_cast<size_t>(index)];
    const auto& table = s.stage_kind().parameters;
    for (size_t i = 0; i < table.size(); ++i) {
        if (table[i].mark == DiagramMark::none) continue;
        p.setPen(QPen(t.marsh, 1.3, Qt::DashLine));
        p.drawLine(QPointF(r.left(), y_of(s.values[i])), QPointF(r.right(), y_of(s.values[i])));
    }
}

}  // namespace reed::ui
