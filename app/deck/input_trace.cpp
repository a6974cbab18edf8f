#include "deck/input_trace.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "measure/findings.h"
#include "session/session.h"
#include "theme/theme.h"
#include "widgets/level_axis.h"

namespace reed::ui {
namespace {
constexpr int kPieceMs = 100;
constexpr size_t kPieces = 300;    // half a minute
constexpr size_t kTold = 4;        // pieces by which it may be known late that somebody speaks
constexpr float kOneWord = 20.0f;  // dB
constexpr LevelAxis kAxis{-60.0, 0.0};
}  // namespace

InputTrace::InputTrace(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("input_trace");
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    clock_.start();
    setAccessibleName(tr("Input over the last 30 s"));
    connect(&session_, &Session::ticked, this, &InputTrace::follow);
    connect(&session_.devices(), &Devices::inputChanged, this, [this] {
        pieces_.clear();
        clock_.start();
        made_ = 0;
        clipped_ = session_.readings().clipped();
        judge();
        update();
    });
}

size_t InputTrace::clippedPieces() const {
    return static_cast<size_t>(
        std::count_if(pieces_.begin(), pieces_.end(), [](const Piece& p) { return p.clipped; }));
}

void InputTrace::follow() {
    if (session_.levels().taps.empty() || session_.levels().seconds <= 0.0) {
        made_ = clock_.elapsed() / kPieceMs;  // what was not heard is not shown
        return;
    }
    highest_ = std::max(highest_, static_cast<float>(session_.levels().taps[0].now_peak));
    spoken_ = spoken_ || session_.levels().speaking;
    // Unseen, it is asked less often than there are pieces.
    const auto due = static_cast<int>(clock_.elapsed() / kPieceMs - made_);
    if (due <= 0) return;
    made_ += due;
    // The count falls when old clips leave the window of the levels.
    const std::uint64_t clipped = session_.readings().clipped();
    for (int i = 0; i < due; ++i) pieces_.push_back({highest_, spoken_, i == 0 && clipped > clipped_});
    clipped_ = clipped;
    // It is known late that somebody speaks: the beginning of the word was theirs as well.
    for (size_t i = 0; spoken_ && i < std::min(kTold, pieces_.size()); ++i) {
        Piece& earlier = pieces_[pieces_.size() - 1 - i];
        if (earlier.peak < highest_ - kOneWord) break;
        earlier.spoken = true;
    }
    while (pieces_.size() > kPieces) pieces_.pop_front();
    highest_ = -150.0f;
    spoken_ = false;
    if (++judge_in_ % 5 == 0) judge();
    if (isVisible()) update();
}

/// By the same figure as the sentence above it (input_advice()), so that both say one thing.
void InputTrace::judge() {
    const LevelReport& levels = session_.levels();
    const bool known = !levels.taps.empty() && pieces_.size() >= 5;
    const double peak = known ? levels.taps[0].peak : 0.0;
    right_ = false;
    if (known && peak <= kSilentPeak) {
        verdict_ = tr("Silence");
    } else if (session_.seat().role() == StripRole::programme) {
        // How loud it is beside the voices is the balance's matter.
        verdict_ = known ? tr("Peak %1 dBFS").arg(peak, 0, 'f', 0) : QString();
    } else if (!known || !levels.taps[0].voice_known) {
        verdict_ = tr("No voice yet");
    } else if (peak > kHotPeak) {
        verdict_ = tr("%1 dB too hot").arg(std::ceil(peak - kHotPeak));
    } else if (peak < kLowPeak) {
        verdict_ = tr("%1 dB low").arg(std::round(kUsualPeak - peak));
    } else {
        right_ = true;
        verdict_ = tr("Right");
    }
    setAccessibleDescription(verdict_);
}

void InputTrace::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF words(0, 0, width(), 34);
    p.setFont(ui::font(26, true));
    p.setPen(right_ ? t.marsh : t.text);
    p.drawText(words, Qt::AlignLeft | Qt::AlignVCenter, verdict_);
    const QRectF r(26, 38, width() - 26, height() - 40);
    const auto y_of = [&](double db) { return kAxis.y(r, db); };
    p.fillRect(r, t.sunken);
    QColor band = t.marsh;
    band.setAlpha(60);
    p.fillRect(QRectF(QPointF(r.left(), y_of(kHotPeak)), QPointF(r.right(), y_of(kLowPeak))), band);
    p.setFont(ui::font(12));
    p.setPen(t.muted);
    for (const double db : {kHotPeak, kLowPeak, -50.0})
        p.drawText(QRectF(0, y_of(db) - 8, 22, 16), Qt::AlignRight | Qt::AlignVCenter, QString::number(db));
    const double step = r.width() / static_cast<double>(kPieces);
    for (size_t i = 0; i < pieces_.size(); ++i) {
        const Piece& piece = pieces_[pieces_.size() - 1 - i];
        const double x = r.right() - static_cast<double>(i + 1) * step;
        p.fillRect(QRectF(x, y_of(piece.peak), step, r.bottom() - y_of(piece.peak)),
                   piece.spoken ? t.straw : t.room);
        // A clip is marked by a bar over the whole height, not by colour alone.
        if (piece.clipped) p.fillRect(QRectF(x - 1, r.top(), 3, r.height()), t.ember);
    }
}

}  // namespace reed::ui
