#include "deck/popups.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>
#include <QVBoxLayout>

#include "model/app_model.h"
#include "model/strips/latency_controller.h"
#include "model/strips/monitor_controller.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/value_field.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kBlocks[] = {64, 128, 256, 512, 1024};
constexpr Parameter kBalance =
    parameter::number("heard_balance", "Voice/app balance", Unit::decibel, -MonitorMix::kMaxBalanceDb,
                      MonitorMix::kMaxBalanceDb, 0.0, Scale::linear,
                      "Headphones only. Left: more voice. Right: more app audio.");
constexpr Parameter kTogether =
    parameter::toggle("heard_together", "Link volumes", false,
                      "Changing one strip's headphone volume changes all of them by the same amount.");
constexpr int kRowHeight = 22, kHead = 46, kWidth = 380;

QString ms(double v) {
    return QString::number(v, 'f', 1) + " ms";
}

}  // namespace

// --- monitor ---

MonitorPopup::MonitorPopup(AppModel& app, StripModel& strip, QWidget* parent)
    : Panel("monitor_popup", tr("Headphones"), parent), app_(app), strip_(strip) {
    setFixedWidth(kWidth);
    addWords(Words::Ink::text, 16, true, tr("Headphones"));
    auto* column = this->column();
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    const QString names[] = {tr("Off"), tr("Output"), tr("Input"), tr("Removed")};
    const QString tips[] = {tr("Headphones off"), tr("The processed signal"),
                            tr("The microphone before the chain, without its latency"),
                            tr("Input minus output: what the chain removes")};
    for (int i = 0; i < 4; ++i) {
        auto* b = new FlatButton(names[i], this);
        b->setObjectName(QString("monitor_%1").arg(i));
        b->setCheckable(true);
        b->setWeight(FlatButton::Weight::raised);
        setHint(b, tips[i]);
        connect(b, &FlatButton::clicked, this, [this, i] {
            MonitorSettings next = strip_.monitoring().settings();
            next.source = static_cast<MonitorSource>(i);
            strip_.monitoring().set(next);
            refresh();
        });
        line->addWidget(b);
        sources_.push_back(b);
    }
    column->addLayout(line);
    sink_ = new FlatButton({}, this);
    sink_->setObjectName("monitor_sink");
    sink_->setWeight(FlatButton::Weight::raised);
    setHint(sink_, tr("Playback device"));
    connect(sink_, &FlatButton::clicked, this, &MonitorPopup::chooseSink);
    column->addWidget(sink_);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(14);
    grid->setVerticalSpacing(2);
    for (int row = 0; row < kMonitorRows; ++row) {
        auto* f = new ValueField(monitor_parameters()[static_cast<size_t>(row)], this);
        connect(f, &ValueField::valueRequested, this, [this, row](double v) {
            MonitorSettings next = strip_.monitoring().settings();
            set_monitor_value(next, row, v);
            strip_.monitoring().set(next);
        });
        connect(f, &ValueField::refused, this, [this](const QString& why) { strip_.notices().warn(why); });
        const bool wide = row == kMonitorVolume || row == kMonitorMutes;
        if (wide)
            grid->addWidget(f, row == kMonitorVolume ? 0 : 3, 0, 1, 2);
        else
            grid->addWidget(f, 1 + (row - 1) / 2, (row - 1) % 2);
        fields_.push_back(f);
    }
    column->addLayout(grid);
    balance_ = new ValueField(kBalance, this);
    balance_->setObjectName("heard_balance");
    connect(balance_, &ValueField::valueRequested, this,
            [this](double db) { app_.context().monitor.setBalance(db); });
    connect(balance_, &ValueField::refused, this, [this](const QString& why) { strip_.notices().warn(why); });
    column->addWidget(balance_);
    together_ = new ValueField(kTogether, this);
    together_->setObjectName("heard_together");
    connect(together_, &ValueField::valueRequested, this,
            [this](double on) { app_.context().monitor.setLinked(on > 0.5); });
    column->addWidget(together_);
    hint_ = new Words(Words::Ink::muted, this);
    hint_->setFont(ui::font(12));
    hint_->setWordWrap(true);
    hint_->setMinimumHeight(32);
    column->addWidget(hint_);
    connect(&strip_.monitoring(), &MonitorController::changed, this, &MonitorPopup::refresh);
    connect(&app_.audio(), &AudioSystem::snapshotChanged, this, &MonitorPopup::refresh);
    refresh();
}

void MonitorPopup::refresh() {
    const MonitorSettings& s = strip_.monitoring().settings();
    for (int i = 0; i < 4; ++i) sources_[static_cast<size_t>(i)]->setChecked(static_cast<int>(s.source) == i);
    for (int row = 0; row < kMonitorRows; ++row)
        fields_[static_cast<size_t>(row)]->setValue(monitor_value(s, row));
    const MixerModel& desk = app_.mixer();
    balance_->setVisible(desk.count(StripRole::programme) > 0);
    balance_->setValue(app_.context().monitor.balance());
    together_->setVisible(desk.strips().size() > 1);
    together_->setValue(app_.context().monitor.linked() ? 1.0 : 0.0);
    sink_->setText(strip_.monitoring().sinkTitle());
    hint_->setText(s.source == MonitorSource::tap
                       ? tr("You hear the signal after one stage. Press H on that stage to stop.")
                       : tr("Hearing your own voice is only comfortable at low latency (now %1). Turn this "
                            "off after tuning.")
                             .arg(ms(strip_.input().totalDelayMs())));
}

void MonitorPopup::chooseSink() {
    auto* menu = new QMenu(this);
    menu->setObjectName("sink_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto add = [&](const QString& title, const std::string& name) {
        QAction* a = menu->addAction(title, this, [this, name] { app_.context().monitor.setSink(name); });
        a->setCheckable(true);
        a->setChecked(app_.context().monitor.sink() == name);
    };
    add(tr("Default output"), "");
    for (const auto& sink : app_.audio().snapshot().sinks)
        add(QString::fromStdString(sink.title) + (sink.loudspeakers ? tr(" (loudspeakers)") : QString()),
            sink.name);
    menu->popup(sink_->mapToGlobal(QPoint(0, sink_->height())));
}

// --- delay and load ---

DelayPopup::DelayPopup(AppModel& app, StripModel& strip, QWidget* parent)
    : Panel("delay_popup", tr("Latency and load"), parent), app_(app), strip_(strip) {
    setFixedWidth(kWidth);
    for (const int block : kBlocks) {
        auto* b = new FlatButton(QString::number(1000.0 * block / 48000.0, 'f', 1), this);
        b->setObjectName(QString("block_%1").arg(block));
        b->setCheckable(true);
        b->setWeight(FlatButton::Weight::raised);
        setHint(b, tr("Buffer size: %1 frames").arg(block));
        b->setAccessibleName(tr("Buffer size: %1 ms").arg(1000.0 * block / 48000.0, 0, 'f', 1));
        connect(b, &FlatButton::clicked, this, [this, block] {
            AudioSettings next = app_.audio().settings();
            next.block = block;
            app_.audio().setSettings(next);
            place();
        });
        blocks_.push_back(b);
    }
    for (int row = 0; row < kLatencyRows; ++row) {
        auto* f = new ValueField(latency_parameters()[static_cast<size_t>(row)], this);
        connect(f, &ValueField::valueRequested, this, [this, row](double ms) {
            LatencySettings next = app_.audio().latency();
            set_latency_value(next, row, ms);
            app_.audio().setLatency(next);
        });
        connect(f, &ValueField::refused, this, [this](const QString& why) { strip_.notices().warn(why); });
        fields_.push_back(f);
    }
    connect(&app_.audio(), &AudioSystem::latencyChanged, this, &DelayPopup::place);
    connect(&strip_, &StripModel::readingsChanged, this, [this] {
        if (++ticks_ % 16 == 0) update();
    });
    for (const auto signal : {&ChainModel::changed, &ChainModel::characterChanged})
        connect(&strip_.chainModel(), signal, this, &DelayPopup::place);
    place();
}

std::vector<QStringList> DelayPopup::rows() const {
    std::vector<QStringList> out;
    const EngineStats f = app_.stats();
    const double frame_ms = 1000.0 / strip_.engine().format().sample_rate;
    out.push_back({tr("Device"), ms(strip_.input().status().delay_ms), {}});
    out.push_back({tr("Buffer"), ms(f.block_frames * frame_ms), {}});
    const auto& stages = strip_.chainModel().chain().stages;
    const auto delays = strip_.engine().chain().stage_latencies();
    for (size_t i = 0; i < stages.size(); ++i) {
        const bool known = strip_.levelsFit() && i < strip_.levels().stages.size();
        out.push_back({QString::fromStdString(stages[i].shown_title()),
                       i < delays.size() ? ms(delays[i] * frame_ms) : QString(),
                       known ? tr("%1%").arg(100.0 * strip_.levels().stages[i].load, 0, 'f', 1) : QString()});
    }
    const ChainLatency chain = strip_.engine().chain().latencies();
    if (chain.character > 0)
        out.push_back(
            {QString::fromStdString(strip_.chainModel().character()), ms(chain.character * frame_ms), {}});
    if (chain.unused_padding() > 0) out.push_back({tr("Padding"), ms(chain.unused_padding() * frame_ms), {}});
    // Waiting for slower voices, and the limiter of the sum.
    if (const int mixer = f.latency - chain.stages - chain.padding; mixer > 0)
        out.push_back({tr("Mixer"), ms(mixer * frame_ms), {}});
    const double delay = app_.audio().latency().output_delay_ms;
    if (delay > 0.0) out.push_back({tr("Output delay"), ms(delay), {}});
    out.push_back({tr("Total"), ms(strip_.input().totalDelayMs() + delay),
                   tr("%1%, peak %2%").arg(100.0 * f.load, 0, 'f', 1).arg(100.0 * f.worst_load, 0, 'f', 0)});
    return out;
}

void DelayPopup::place() {
    const auto count = static_cast<int>(rows().size());
    setFixedHeight(kHead + kRowHeight * count + 206);
    const int y = kHead + kRowHeight * count + 34;
    const int w = (kWidth - 32 - 4 * 6) / 5;
    for (size_t i = 0; i < blocks_.size(); ++i) {
        blocks_[i]->setGeometry(16 + static_cast<int>(i) * (w + 6), y, w, 30);
        blocks_[i]->setChecked(app_.audio().settings().block == kBlocks[i]);
    }
    for (int row = 0; row < kLatencyRows; ++row) {
        ValueField* f = fields_[static_cast<size_t>(row)];
        const int half = (kWidth - 32 - 14) / 2;
        f->setGeometry(16 + row * (half + 14), y + 40, half, 36);
        f->setValue(latency_value(app_.audio().latency(), row));
    }
    update();
}

QString DelayPopup::dropoutWords() const {
    const auto& times = strip_.input().dropoutTimes();
    if (times.empty()) return tr("No dropouts since start");
    QStringList last;
    for (size_t i = times.size() > 4 ? times.size() - 4 : 0; i < times.size(); ++i)
        last << times[i].toString("hh:mm:ss");
    return tr("%1 dropouts, last at %2").arg(strip_.input().status().dropouts).arg(last.join(", "));
}

QString DelayPopup::latencyWords() const {
    if (const double over = app_.latency().excess(strip_); over > 0.0)
        return tr("This chain is %1 longer than the fixed latency.").arg(ms(over));
    const bool fixed = app_.audio().latency().fixed_ms > 0.0;
    if (fixed && strip_.liveStrip().role() != StripRole::voice)
        return tr("App audio waits for the voices. Its own stages can add to their fixed latency.");
    return fixed ? tr("The total stays the same with every scene. Enter it as the sound's offset beside your "
                      "camera in your streaming app.")
                 : tr("The total changes with scenes and stages. Set a fixed latency to enter one number "
                      "beside your camera in your streaming app.");
}

void DelayPopup::paintEvent(QPaintEvent* event) {
    Panel::paintEvent(event);
    const Theme& t = theme();
    QPainter p(this);
    p.setPen(t.text);
    p.setFont(ui::font(16, true));
    p.drawText(QRectF(16, 12, 220, 24), Qt::AlignLeft | Qt::AlignVCenter, tr("Latency and load"));
    p.setFont(ui::font(12));
    p.setPen(t.muted);
    p.drawText(QRectF(kWidth - 140, 14, 124, 20), Qt::AlignRight | Qt::AlignVCenter, tr("% of one core"));
    const auto all = rows();
    int y = kHead;
    for (size_t i = 0; i < all.size(); ++i) {
        const bool last = i + 1 == all.size();
        p.setFont(ui::font(13, last));
        p.setPen(last ? t.text : t.muted);
        const QRectF row(16, y, kWidth - 32, kRowHeight);
        p.drawText(QRectF(row.left(), row.top(), 150, row.height()), Qt::AlignLeft | Qt::AlignVCenter,
                   p.fontMetrics().elidedText(all[i][0], Qt::ElideRight, 150));
        p.setPen(t.text);
        p.drawText(QRectF(row.left() + 140, row.top(), 80, row.height()), Qt::AlignRight | Qt::AlignVCenter,
                   all[i][1]);
        p.drawText(QRectF(row.right() - 128, row.top(), 128, row.height()), Qt::AlignRight | Qt::AlignVCenter,
                   all[i][2]);
        y += kRowHeight;
    }
    p.setPen(QPen(t.line, 1));
    p.drawLine(QPointF(16, y + 4), QPointF(kWidth - 16, y + 4));
    p.setPen(t.muted);
    p.setFont(ui::font(12));
    p.drawText(QRectF(16, y + 10, 160, 18), Qt::AlignLeft | Qt::AlignVCenter,
               tr("Buffer size in ms: low latency"));
    p.drawText(QRectF(kWidth - 176, y + 10, 160, 18), Qt::AlignRight | Qt::AlignVCenter, tr("safe"));
    const auto paragraph = [&](int top, int height, const QString& words) {
        p.drawText(QRectF(16, y + top, kWidth - 32, height),
                   Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap, words);
    };
    p.setPen(app_.latency().excess(strip_) > 0.0 ? t.ember : t.muted);
    paragraph(112, 50, latencyWords());
    p.setPen(t.muted);
    paragraph(164, 32, dropoutWords());
}

}  // namespace reed::ui
