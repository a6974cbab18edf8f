// Drawing of the level diagram.
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "diagram/level_diagram.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"

namespace reed::ui {
namespace {

constexpr double kAxisText = 48.0;

QString level(double db) {
    if (db <= -83.5) return QStringLiteral("< -84");
    return QString::number(std::round(db) + 0.0, 'f', 0);  // + 0.0: "-0" is no level
}

/// Moves labels apart that stand closer than `gap`; `ys` are wanted positions, sorted from top to bottom.
void spread(std::vector<double>& ys, double gap, double top, double bottom) {
    for (int pass = 0; pass < 8; ++pass) {
        for (size_t i = 1; i < ys.size(); ++i) {
            const double missing = gap - (ys[i] - ys[i - 1]);
            if (missing <= 0.0) continue;
            ys[i - 1] -= missing / 2;
            ys[i] += missing / 2;
        }
        if (!ys.empty() && ys.front() < top) ys.front() = top;
        if (!ys.empty() && ys.back() > bottom) ys.back() = bottom;
    }
}

}  // namespace

QPixmap LevelDiagram::blankLayer() const {
    const double ratio = devicePixelRatioF();
    QPixmap out(size() * ratio);
    out.setDevicePixelRatio(ratio);
    out.fill(theme().window);
    return out;
}

void LevelDiagram::drawBackground() {
    const Theme& t = theme();
    background_ = blankLayer();
    QPainter p(&background_);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(t.panel);
    p.drawRoundedRect(rect(), 10, 10);
    const QRectF r = plot();
    p.setFont(ui::font(12));
    for (int db = 0; db >= -80; db -= 10) {
        const double y = std::round(yOf(db)) + 0.5;
        p.setPen(QPen(t.line, db == 0 ? 1.4 : 0.8));
        p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
        p.setPen(t.muted);
        p.drawText(QRectF(0, y - 9, kAxisText, 18), Qt::AlignRight | Qt::AlignVCenter, QString::number(db));
    }
    p.drawText(QRectF(0, 6, kAxisText, 16), Qt::AlignRight | Qt::AlignVCenter, tr("dBFS"));
}

QPainterPath LevelDiagram::line(double Shown::*member) const {
    QPainterPath path;
    const double half = transition();
    path.moveTo(xOf(0), yOf(shown_[0].*member));
    for (size_t k = 0; k + 1 < shown_.size(); ++k) {
        const double x = xOf(static_cast<double>(k) + 1);
        const double y0 = yOf(shown_[k].*member);
        const double y1 = yOf(shown_[k + 1].*member);
        path.lineTo(x - half, y0);
        path.cubicTo(QPointF(x, y0), QPointF(x, y1), QPointF(x + half, y1));
    }
    path.lineTo(xOf(static_cast<double>(shown_.size())), yOf(shown_.back().*member));
    return path;
}

void LevelDiagram::paintRoom(QPainter& p) const {
    if (!shown_[0].room_known) return;
    const Theme& t = theme();
    const QRectF r = plot();
    const auto fill = [&](double Shown::*member, const QColor& color) {
        QPainterPath area = line(member);
        area.lineTo(r.right(), r.bottom());
        area.lineTo(r.left(), r.bottom());
        area.closeSubpath();
        p.fillPath(area, color);
    };
    QColor reach = t.roomFill;
    reach.setAlpha(reach.alpha() / 2);
    fill(&Shown::room_high, reach);
    fill(&Shown::room, t.roomFill);
    p.strokePath(line(&Shown::room), QPen(t.room, 1.8));
}

void LevelDiagram::paintVoice(QPainter& p) const {
    if (!shown_[0].voice_known) return;
    const Theme& t = theme();
    QPainterPath ribbon = line(&Shown::voice_high);
    ribbon.connectPath(line(&Shown::voice_low).toReversed());
    ribbon.closeSubpath();
    p.fillPath(ribbon, t.strawFill);
    p.strokePath(line(&Shown::voice), QPen(t.straw, 2.4));
}

void LevelDiagram::paintPeak(QPainter& p) const {
    const Theme& t = theme();
    if (shown_[0].peak > -83.5) {
        // Above full scale at the input or the output: colour, weight and the word beside it. Between stages
        // nothing clips there.
        const bool over = shown_.front().peak > 0.0 || shown_.back().peak > 0.0;
        QPen pen(over ? t.ember : t.now, over ? 2.0 : 1.3);
        pen.setDashPattern({3.0, 2.5});
        p.strokePath(line(&Shown::peak), pen);
    }
}

void LevelDiagram::paintNow(QPainter& p) const {
    QColor thin = theme().now;
    thin.setAlpha(210);
    p.strokePath(line(&Shown::now), QPen(thin, 1.0));
}

void LevelDiagram::paintReduction(QPainter& p) const {
    const Theme& t = theme();
    const auto& stages = strip_.chainModel().chain().stages;
    const QRectF r = plot();
    for (size_t i = 0; i < stages.size() && i < reduction_.size(); ++i) {
        if (!stages[i].stage_kind().reports_reduction || stages[i].bypass) continue;
        const double x = xOf(static_cast<double>(i) + 1) - 14;
        const double zero = yOf(0.0);
        const double deep = std::min(yOf(reduction_[i]), r.bottom());
        // A plumb line from 0 dB down: how much is taken at this moment, on the diagram's own scale.
        p.setPen(QPen(t.line, 1.0));
        p.drawLine(QPointF(x, zero), QPointF(x, zero + 12));
        paintWanted(p, i, x);
        if (-reduction_[i] < 0.15) continue;
        p.setPen(QPen(t.marsh, 2.2, Qt::SolidLine, Qt::FlatCap));
        p.drawLine(QPointF(x, zero), QPointF(x, deep));
        p.setBrush(t.marsh);
        p.setPen(Qt::NoPen);
        p.drawPolygon(QPolygonF({QPointF(x - 4, deep), QPointF(x + 4, deep), QPointF(x, deep + 6)}));
        p.setFont(ui::font(12));
        if (-reduction_[i] < 0.5) continue;
        const QString label = QString::number(reduction_[i], 'f', 0);
        const double w = p.fontMetrics().horizontalAdvance(label) + 8;
        const QRectF box(x - 6 - w, std::min(deep - 8, r.bottom() - 16), w, 16);
        QColor plate = t.panel;
        plate.setAlpha(205);
        p.setBrush(plate);
        p.drawRoundedRect(box, 4, 4);
        p.setPen(t.marsh);
        p.drawText(box, Qt::AlignCenter, label);
    }
}

/// The target range of a reduction, as a bracket beside its line, and the typical value while there is
/// speech.
void LevelDiagram::paintWanted(QPainter& p, size_t stage, double x) const {
    const Theme& t = theme();
    const StageSpec& s = strip_.chainModel().chain().stages[stage];
    if (s.stage_kind().wanted == nullptr) return;
    const auto [least, most] = s.stage_kind().wanted(s.values);
    const double from = yOf(-least);
    const double to = yOf(-most);
    p.setPen(QPen(t.muted, 1.2));
    p.drawLine(QPointF(x + 5, from), QPointF(x + 9, from));
    p.drawLine(QPointF(x + 9, from), QPointF(x + 9, to));
    p.drawLine(QPointF(x + 5, to), QPointF(x + 9, to));
    if (stage >= usual_.size() || usual_[stage] < 0.15) return;
    const double y = yOf(-usual_[stage]);
    p.setPen(QPen(t.marsh, 2.0));
    p.drawLine(QPointF(x + 5, y), QPointF(x + 13, y));
}

/// Humps of room and voice, lying along the level axis right behind the tap.
void LevelDiagram::paintLevels(QPainter& p) const {
    if (levels_tap_ < 0 || levels_.room.empty()) return;
    const Theme& t = theme();
    const QRectF r = plot();
    const double left = levels_tap_ == 0 ? r.left() : xOf(levels_tap_) + 6;
    const double reach = 0.85 * (xOf(1) - xOf(0));
    float most = 0.005f;
    for (const float x : levels_.room) most = std::max(most, x);
    for (const float x : levels_.voice) most = std::max(most, x);
    QColor veil = t.panel;
    veil.setAlpha(150);
    p.fillRect(QRectF(left, r.top(), reach, r.height()), veil);
    p.setPen(QPen(t.muted, 1.0));
    p.drawLine(QPointF(left, r.top()), QPointF(left, r.bottom()));
    const auto hump = [&](const std::vector<float>& shares, const QColor& color, const QColor& fill) {
        QPainterPath path(QPointF(left, r.bottom()));
        for (size_t b = 0; b < shares.size(); ++b)
            path.lineTo(left + LevelDistribution::smoothed(shares, b) / most * 0.92 * reach,
                        yOf(LevelDistribution::level_of(b)));
        path.lineTo(left, r.top());
        p.fillPath(path, fill);
        p.strokePath(path, QPen(color, 1.4));
    };
    hump(levels_.room, t.room, t.roomFill);
    hump(levels_.voice, t.straw, t.strawFill);
    // The thresholds of the stage that acts on these levels, right across the humps.
    const auto& stages = strip_.chainModel().chain().stages;
    if (static_cast<size_t>(levels_tap_) < stages.size()) {
        const StageSpec& s = stages[static_cast<size_t>(levels_tap_)];
        p.setPen(QPen(t.marsh, 1.2, Qt::DashLine));
        for (size_t i = 0; i < s.values.size(); ++i) {
            if (s.stage_kind().parameters[i].mark == DiagramMark::none) continue;
            p.drawLine(QPointF(left, yOf(s.values[i])), QPointF(left + reach, yOf(s.values[i])));
        }
    }
    p.setFont(ui::font(12));
    p.setPen(t.muted);
    p.drawText(
        QRectF(left + 4, r.bottom() - 17, reach - 6, 16), Qt::AlignLeft | Qt::AlignVCenter,
        p.fontMetrics().elidedText(tr("level distribution"), Qt::ElideRight, static_cast<int>(reach - 6)));
}

void LevelDiagram::paintLabels(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    struct Label {
        double level;
        QString name;
        QColor color;
    };
    const auto labels = [&](const Shown& s) {
        std::vector<Label> out;
        if (s.peak > -83.5)
            out.push_back(
                {s.peak, s.peak > 0.0 ? tr("clipping") : tr("peak"), s.peak > 0.0 ? t.ember : t.now});
        const bool voice = strip_.liveStrip().role() == StripRole::voice;
        // App audio has no detection of speech; if its levels do not form two groups, there is one usual
        // level.
        const QString low = voice ? tr("room") : s.voice_known ? tr("quiet") : tr("typical");
        if (s.voice_known) out.push_back({s.voice, voice ? tr("voice") : tr("loud"), t.straw});
        if (s.room_known) out.push_back({s.room, low, t.room});
        std::stable_sort(out.begin(), out.end(),
                         [](const Label& a, const Label& b) { return a.level > b.level; });
        return out;
    };
    p.setFont(ui::font(13));
    const auto left = labels(shown_.front());
    std::vector<double> ys;
    ys.reserve(left.size());
    for (const auto& l : left) ys.push_back(yOf(l.level) - 10);
    spread(ys, 17, r.top() - 6, r.bottom() - 9);
    for (size_t i = 0; i < left.size(); ++i) {
        const QString label = left[i].name + " " + level(left[i].level);
        const QRectF box(r.left() + 5, ys[i] - 8, p.fontMetrics().horizontalAdvance(label) + 8, 16);
        QColor plate = t.panel;
        plate.setAlpha(190);
        p.fillRect(box, plate);
        p.setPen(left[i].color);
        p.drawText(box.adjusted(4, 0, 8, 0), Qt::AlignLeft | Qt::AlignVCenter, label);
    }
    const auto right = labels(shown_.back());
    ys.clear();
    for (const auto& l : right) ys.push_back(yOf(l.level));
    spread(ys, 17, r.top(), r.bottom() - 9);
    p.setFont(ui::font(13, true));
    for (size_t i = 0; i < right.size(); ++i) {
        p.setPen(right[i].color);
        p.drawText(QRectF(r.right() + 7, ys[i] - 9, 56, 18), Qt::AlignLeft | Qt::AlignVCenter,
                   level(right[i].level));
    }
}

void LevelDiagram::paintRail(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    const double y = twoRows() ? r.bottom() + 51 : r.bottom() + 30;
    p.setPen(QPen(t.line, 2));
    p.drawLine(QPointF(xOf(0) + 8, y), QPointF(xOf(stageCount() + 1.0) - 8, y));
    p.setPen(QPen(t.line, 1));
    for (int c = 1; c <= stageCount(); ++c)
        p.drawLine(QPointF(xOf(c), r.bottom() + 2), QPointF(xOf(c), r.bottom() + 12));
    p.setFont(ui::font(13));
    p.setPen(t.muted);
    const bool narrow = xOf(1) - xOf(0) < 110;
    p.drawText(QRectF(6, y - 9, xOf(0) - 4, 18), Qt::AlignRight | Qt::AlignVCenter,
               narrow ? tr("In") : tr("Input"));
    p.drawText(QRectF(xOf(stageCount() + 1.0) - 2, y - 9, 60, 18), Qt::AlignLeft | Qt::AlignVCenter,
               tr("Output"));
}

void LevelDiagram::paintHover(QPainter& p) const {
    if (hover_ < 0 || hover_ >= static_cast<int>(shown_.size())) return;
    const Theme& t = theme();
    const Shown& s = shown_[static_cast<size_t>(hover_)];
    const auto& stages = strip_.chainModel().chain().stages;
    QStringList rows;
    rows << (hover_ == 0
                 ? tr("Input")
                 : tr("After %1")
                       .arg(QString::fromStdString(stages[static_cast<size_t>(hover_ - 1)].shown_title())));
    rows << tr("peak %1 dBFS").arg(level(s.peak));
    if (s.voice_known)
        rows << tr("voice %1 to %2, typical %3").arg(level(s.voice_low), level(s.voice_high), level(s.voice));
    if (s.room_known) rows << tr("room %1, reaches %2").arg(level(s.room), level(s.room_high));
    p.setFont(ui::font(12));
    double w = 0;
    for (const auto& row : rows) w = std::max<double>(w, p.fontMetrics().horizontalAdvance(row));
    const QRectF r = plot();
    double x = 0.5 * (xOf(hover_) + xOf(hover_ + 1)) - w / 2 - 10;
    x = std::clamp(x, r.left(), r.right() - w - 20);
    const QRectF box(x, r.top() + 4, w + 20, 17.0 * static_cast<double>(rows.size()) + 10);
    p.setPen(QPen(t.line, 1));
    p.setBrush(t.raised);
    p.drawRoundedRect(box, 6, 6);
    for (int i = 0; i < rows.size(); ++i) {
        p.setPen(i == 0 ? t.text : t.muted);
        p.drawText(QRectF(box.left() + 10, box.top() + 5 + 17 * i, w + 4, 17),
                   Qt::AlignLeft | Qt::AlignVCenter, rows[i]);
    }
}

void LevelDiagram::drawSlow() {
    if (background_.isNull() || background_.devicePixelRatio() != devicePixelRatioF()) drawBackground();
    slow_ = background_;
    drawn_ = shown_;
    QPainter p(&slow_);
    p.setRenderHint(QPainter::Antialiasing);
    if (!shown_.empty() && !silent_) {
        paintRoom(p);
        paintVoice(p);
        paintPeak(p);
        paintLabels(p);
    } else {
        p.setPen(theme().muted);
        p.setFont(ui::font(14));
        // Between two lines of the scale, below where thresholds stand.
        const QRectF low(plot().left(), yOf(-70), plot().width(), yOf(-80) - yOf(-70));
        p.drawText(
            low, Qt::AlignCenter,
            silent_ ? tr("No signal (digital silence)") : tr("No input yet. Choose one at the top left."));
    }
    paintRail(p);
}

void LevelDiagram::paintEvent(QPaintEvent*) {
    if (slow_.isNull() || slow_.devicePixelRatio() != devicePixelRatioF()) drawSlow();
    QPainter p(this);
    p.drawPixmap(0, 0, slow_);
    p.setRenderHint(QPainter::Antialiasing);
    if (!shown_.empty()) {
        paintLevels(p);
        paintNow(p);
        paintReduction(p);
    }
    if (drop_at_ > 0) {
        p.setPen(QPen(theme().marsh, 2, Qt::DashLine));
        p.drawLine(QPointF(xOf(drop_at_), plot().top()), QPointF(xOf(drop_at_), plot().bottom() + 12));
    }
    paintHover(p);
}

}  // namespace reed::ui
