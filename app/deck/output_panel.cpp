#include "deck/output_panel.h"

#include <QInputDialog>
#include <QMenu>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "deck/advice_popover.h"
#include "deck/popups.h"
#include "model/app_model.h"
#include "model/soundcheck/output_advisor.h"
#include "model/strips/monitor_controller.h"
#include "model/takes/takes_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

QString number(const std::optional<double>& v) {
    return v && *v > -70.0 ? QString::number(*v, 'f', 1) : QStringLiteral("--");
}

constexpr double kQuietest = -50.0;

}  // namespace

OutputPanel::OutputPanel(AppModel& app, StripModel& strip, QWidget* parent)
    : QWidget(parent), app_(app), strip_(strip) {
    setObjectName("feed_panel");
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Output"));
    restart_ = new FlatButton(tr("Reset"), this);
    setHint(restart_, tr("Restart the loudness, true peak and level measurements"));
    restart_->setObjectName("restart_button");
    connect(restart_, &FlatButton::clicked, this, [this] {
        strip_.readings().restart();
        app_.mixer().main().readings().restart();
        follow();
        update();
    });
    verdict_ = new Words(Words::Ink::muted, this);
    verdict_->setObjectName("feed_verdict");
    verdict_->setFont(ui::font(14));
    apply_ = new FlatButton({}, this);
    apply_->setObjectName("verdict_button");
    apply_->setWeight(FlatButton::Weight::raised);
    connect(apply_, &FlatButton::clicked, &app_.advisor(strip_), &OutputAdvisor::turn);
    connect(&app_.advisor(strip_), &OutputAdvisor::changed, this, &OutputPanel::showVerdict);
    advice_menu_ = new FlatButton({}, this);
    advice_menu_->setObjectName("advice_menu_button");
    advice_menu_->setIconName("more");
    advice_menu_->setAccessibleName(tr("More about this advice"));
    setHint(advice_menu_, tr("Hide this advice, or list all advice since the start"));
    connect(advice_menu_, &FlatButton::clicked, this, &OutputPanel::openAdviceMenu);
    target_ = new FlatButton({}, this);
    target_->setObjectName("target_button");
    target_->setFont(ui::font(12));
    setHint(target_, tr("Loudness target. Click to change it."));
    connect(target_, &FlatButton::clicked, this, &OutputPanel::chooseTarget);
    const auto show_target = [this] {
        target_->setText(tr("%1 LUFS").arg(app_.preferences().target()));
        target_->setAccessibleName(tr("Loudness target: %1").arg(target_->text()));
        showVerdict();
        update();
    };
    connect(&app_.preferences(), &Preferences::targetChanged, this, show_target);
    monitor_ = new FlatButton({}, this);
    monitor_->setObjectName("monitor_button");
    monitor_->setIconName("ear");
    connect(monitor_, &FlatButton::clicked, this, [this] {
        (new MonitorPopup(app_, strip_, this))->openBelow(*monitor_, true);
        monitor_->setChecked(strip_.monitoring().settings().source != MonitorSource::off);
    });
    const auto hints = [this] {
        const QString undo = app_.preferences().keys().text("undo");
        setHint(apply_, undo.isEmpty() ? tr("Apply the suggested change")
                                       : tr("Apply the suggested change (%1 undoes it)").arg(undo));
        const QString key = app_.preferences().keys().text("toggle-headphones");
        setHint(monitor_, key.isEmpty() ? tr("Choose what you hear in the headphones")
                                        : tr("Choose what you hear in the headphones (%1: on/off)").arg(key));
    };
    connect(&app_.preferences().keys(), &Keys::changed, this, hints);
    hints();
    const auto show_monitor = [this] {
        const QString words[] = {tr("Off"), tr("Output"), tr("Input"), tr("Removed"), tr("After one stage")};
        const auto source = strip_.monitoring().settings().source;
        monitor_->setText(words[static_cast<int>(source)]);
        monitor_->setAccessibleName(tr("Headphones: %1").arg(monitor_->text()));
        monitor_->setCheckable(true);
        monitor_->setChecked(source != MonitorSource::off);
        placeButtons();
    };
    connect(&strip_.monitoring(), &MonitorController::changed, this, show_monitor);
    show_monitor();
    show_target();
    connect(&strip_, &StripModel::readingsChanged, this, &OutputPanel::follow);
    connect(&app_.takes(), &TakesModel::loopChanged, this, [this] {
        placeButtons();
        update();
    });
    connect(&app_.mute(), &MicrophoneMute::changed, this, [this] {
        placeButtons();
        update();
    });
}

void OutputPanel::resizeEvent(QResizeEvent*) {
    placeButtons();
}

double OutputPanel::markAt(double lufs) const {
    return 18.0 + std::clamp((lufs - kQuietest) / -kQuietest, 0.0, 1.0) * (width() - 36.0);
}

void OutputPanel::placeButtons() {
    restart_->resize(restart_->sizeHint());
    restart_->move(width() - restart_->width() - 8, 8);
    monitor_->resize(monitor_->sizeHint());
    monitor_->move(restart_->x() - monitor_->width() - 4, 8);
    apply_->resize(apply_->sizeHint().width(), 28);
    apply_->move(width() - apply_->width() - 14, 123);
    // Under its mark, as far as that goes.
    target_->resize(target_->sizeHint().width(), 20);
    const int mark = static_cast<int>(markAt(app_.preferences().target())) - target_->width() / 2;
    target_->move(std::clamp(mark, 60, std::max(60, width() - target_->width() - 8)), 103);
    target_->setVisible(!app_.mute().on() && app_.takes().strip() != &strip_);
    const int end = apply_->isHidden() ? width() - 8 : apply_->x();
    advice_menu_->setGeometry(end - 30, 123, 28, 28);
    verdict_->setGeometry(18, 123, (advice_menu_->isHidden() ? end - 8 : advice_menu_->x() - 2) - 18, 28);
}

void OutputPanel::showVerdict() {
    const OutputAdvisor& now = app_.advisor(strip_);
    verdict_->show(now.tone(), now.words());
    setHint(verdict_, now.details());
    apply_->setVisible(!now.remedy().isEmpty());
    if (!now.remedy().isEmpty()) apply_->setText(now.remedy());
    advice_menu_->setVisible(!now.id().empty());
    placeButtons();
}

void OutputPanel::openAdviceMenu() {
    auto* menu = new QMenu(this);
    menu->setObjectName("advice_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(tr("Hide this advice"), &app_.advisor(strip_), &OutputAdvisor::hide)
        ->setObjectName("advice_hide");
    menu->addAction(tr("Advice since the start…"), this,
                    [this] { (new AdvicePopover(app_, window()))->openBelow(*this, true); })
        ->setObjectName("advice_list");
    menu->popup(advice_menu_->mapToGlobal(QPoint(0, advice_menu_->height())));
}

void OutputPanel::chooseTarget() {
    auto* menu = new QMenu(this);
    menu->setObjectName("target_popup");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    // -23 is EBU R 128; the others are common practice, no source.
    const std::pair<double, QString> marks[] = {{-14.0, tr("-14 LUFS, loud")},
                                                {-16.0, tr("-16 LUFS, typical for speech")},
                                                {-18.0, tr("-18 LUFS, calm talk")},
                                                {-20.0, tr("-20 LUFS, quieter, for loud games")},
                                                {-23.0, tr("-23 LUFS, broadcast (EBU R 128)")}};
    bool among = false;
    const auto add = [&](double lufs, const QString& words) {
        QAction* a = menu->addAction(words, this, [this, lufs] { app_.preferences().setTarget(lufs); });
        a->setCheckable(true);
        a->setChecked(app_.preferences().target() == lufs);
        among = among || a->isChecked();
    };
    for (const auto& [lufs, words] : marks) add(lufs, words);
    if (!among) add(app_.preferences().target(), tr("%1 LUFS").arg(app_.preferences().target()));
    menu->addAction(tr("Custom…"), this, [this] {
        bool taken = false;
        const double wanted = QInputDialog::getDouble(this, tr("Dusky Reed"),
                                                      tr("Loudness target in LUFS (%1 to %2):")
                                                          .arg(Preferences::kLeastTarget)
                                                          .arg(Preferences::kMostTarget),
                                                      app_.preferences().target(), Preferences::kLeastTarget,
                                                      Preferences::kMostTarget, 1, &taken, {}, 0.5);
        if (taken) app_.preferences().setTarget(wanted);
    });
    menu->popup(target_->mapToGlobal(QPoint(0, target_->height())));
}

void OutputPanel::follow() {
    if (!isVisible()) return;
    const LoudnessReading& l = app_.outputLoudness();
    const QString s = number(l.short_term);
    const QString i = number(l.integrated);
    const QString p = number(l.true_peak);
    const double bar = std::round(2.0 * std::clamp(l.momentary.value_or(-80.0), -80.0, 0.0)) / 2.0;
    if (s == short_term_ && i == integrated_ && p == peak_ && bar == bar_) return;
    short_term_ = s;
    integrated_ = i;
    peak_ = p;
    bar_ = bar;
    setAccessibleDescription(tr("Loudness %1 LUFS, true peak %2 dBTP").arg(s, p));
    update();
}

void OutputPanel::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    paintPanelGround(p, *this);
    p.setPen(t.text);
    p.setFont(ui::font(18, true));
    p.drawText(QRectF(18, 10, 160, 26), Qt::AlignLeft | Qt::AlignVCenter, tr("Output"));

    const double third = (width() - 36) / 3.0;
    const auto figure = [&](int column, const QString& value, const QString& unit, const QString& what,
                            bool hot) {
        const double x = 18 + column * third;
        p.setFont(ui::font(third < 110.0 ? 21 : 26));
        p.setPen(hot ? t.ember : t.text);
        const double w = p.fontMetrics().horizontalAdvance(value);
        p.drawText(QRectF(x, 36, third, 34), Qt::AlignLeft | Qt::AlignVCenter, value);
        p.setFont(ui::font(12));
        p.setPen(t.muted);
        p.drawText(QRectF(x + w + 4, 44, third, 20), Qt::AlignLeft | Qt::AlignVCenter, unit);
        p.drawText(QRectF(x, 67, third, 16), Qt::AlignLeft | Qt::AlignVCenter, what);
    };
    const auto peak = app_.outputLoudness().true_peak;
    const bool hot = peak && *peak > -0.9;
    figure(0, short_term_.isEmpty() ? "--" : short_term_, tr("LUFS"), tr("last 3 s"), false);
    figure(1, integrated_.isEmpty() ? "--" : integrated_, tr("LUFS"), tr("since reset"), false);
    figure(2, peak_.isEmpty() ? "--" : peak_, tr("dBTP"), hot ? tr("true peak too high") : tr("true peak"),
           hot);

    const QRectF track(18, 92, width() - 36, 10);
    p.setPen(Qt::NoPen);
    p.setBrush(t.sunken);
    p.drawRoundedRect(track, 4, 4);
    const bool loops = app_.takes().strip() == &strip_ && !app_.takes().aloud();
    if (app_.mute().on() || loops) {
        p.setFont(ui::font(14, true));
        p.setPen(app_.mute().on() ? t.ember : t.marsh);
        p.drawText(QRectF(18, 104, width() - 36, 18), Qt::AlignCenter,
                   app_.mute().on()                           ? tr("Muted: no output")
                   : app_.mixer().count(StripRole::voice) > 1 ? tr("Take looping: this voice is muted")
                                                              : app_.takes().silenceText());
        return;
    }
    if (bar_ > kQuietest) {
        p.setBrush(t.straw);
        p.drawRoundedRect(QRectF(track.left(), track.top(), markAt(bar_) - track.left(), track.height()), 4,
                          4);
    }
    p.setPen(QPen(t.text, 1.6));
    const double mark = markAt(app_.preferences().target());
    p.drawLine(QPointF(mark, track.top() - 4), QPointF(mark, track.bottom() + 4));
    p.setFont(ui::font(12));
    p.setPen(t.muted);
    p.drawText(QRectF(18, 105, 100, 16), Qt::AlignLeft | Qt::AlignVCenter, QString::number(kQuietest));
}

}  // namespace reed::ui
