#include "rail/compact_window.h"

#include <QCloseEvent>
#include <QGuiApplication>
#include <QMenu>
#include <QPainter>
#include <QScreen>

#include "actions/actions.h"
#include "model/soundcheck/output_advisor.h"
#include "model/strips/mix_balance_model.h"
#include "widgets/flat_button.h"
#include "widgets/plain_text.h"
#include "widgets/strip_marker.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {
constexpr int kWidth = 420, kHeight = 140;
constexpr int kEdge = 10, kTop = 44, kFoot = 24;
constexpr size_t kOneColumn = 3;  // strips, at most, that stand below each other
}  // namespace

CompactWindow::CompactWindow(Actions& actions) : QWidget(nullptr, Qt::Window), actions_(actions) {
    setObjectName("small_window");
    setWindowIcon(QIcon(":/icons/dusky-reed.svg"));
    setMinimumSize(340, 120);
    resize(kWidth, kHeight);
    const auto button = [&](const char* name, const char* icon) {
        auto* b = new FlatButton({}, this);
        b->setObjectName(name);
        b->setIconName(icon);
        return b;
    };
    scene_ = button("small_scene", "down");
    setHint(scene_, tr("Switch scene"));
    connect(scene_, &FlatButton::clicked, this, &CompactWindow::openScenes);
    character_ = button("small_character", "mask");
    character_->setCheckable(true);
    character_->setWeight(FlatButton::Weight::raised);
    connect(character_, &FlatButton::clicked, this, [this] { actions_.act("character-off"); });
    mute_ = button("small_mute", "mute");
    mute_->setCheckable(true);
    mute_->setWeight(FlatButton::Weight::alarm);
    AppModel& app = actions_.app();
    connect(mute_, &FlatButton::clicked, &app, [&app](bool on) { app.mute().set(on); });
    pin_ = button("small_on_top", "pin");
    pin_->setCheckable(true);
    pin_->setAccessibleName(tr("Keep above other windows"));
    setHint(pin_, tr("Keep above other windows"));
    connect(pin_, &FlatButton::clicked, this, &CompactWindow::setOnTop);
    whole_ = button("small_whole", "window");
    whole_->setAccessibleName(tr("Show full window"));
    setHint(whole_, app.preferences().keys().hint(tr("Show full window"), "compact-window"));
    connect(whole_, &FlatButton::clicked, this, &CompactWindow::wholeWanted);
    keep_later_.setSingleShot(true);
    keep_later_.setInterval(300);
    connect(&keep_later_, &QTimer::timeout, this, &CompactWindow::keep);
    connect(&app.mixer().main(), &StripModel::readingsChanged, this, &CompactWindow::follow);
    connect(&app.mute(), &MicrophoneMute::changed, this, &CompactWindow::showState);
    for (const auto signal : {&MixerModel::changed, &MixerModel::stripsChanged, &MixerModel::focusChanged,
                              &MixerModel::characterChanged})
        connect(&app.mixer(), signal, this, &CompactWindow::showState);
    connect(&app.preferences(), &Preferences::themeChanged, this, [this] { update(); });
    actions_.installKeys(this);
    showState();
}

void CompactWindow::bring() {
    const Preferences& kept = actions_.app().preferences();
    const bool on_top = kept.smallOnTop();
    setWindowFlag(Qt::WindowStaysOnTopHint, on_top);
    pin_->setChecked(on_top);
    if (!kept.smallGeometry().isEmpty()) {
        restoreGeometry(kept.smallGeometry());
    } else if (const QScreen* screen = QGuiApplication::primaryScreen()) {
        const QRect all = screen->availableGeometry();
        move(all.right() - width() - 24, all.bottom() - height() - 24);
    }
    show();
    raise();
}

void CompactWindow::setOnTop(bool on_top) {
    const QByteArray where = saveGeometry();
    setWindowFlag(Qt::WindowStaysOnTopHint, on_top);  // hides it
    restoreGeometry(where);
    show();
    keep();
}

void CompactWindow::keep() {
    actions_.app().preferences().setSmall(saveGeometry(), pin_->isChecked());
}

void CompactWindow::openScenes() {
    auto* menu = new QMenu(this);
    menu->setObjectName("small_scenes");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    SceneManager* shelf = &actions_.app().scenes();
    for (const auto& entry : shelf->scenes()) {
        QAction* a = menu->addAction(QString::fromStdString(entry.scene.name).replace('&', "&&"), shelf,
                                     [shelf, name = entry.scene.name] { shelf->recall(name); });
        a->setCheckable(true);
        a->setChecked(entry.scene.name == actions_.app().mixer().name());
    }
    menu->popup(scene_->mapToGlobal(QPoint(0, scene_->height())));
}

/// What is not of the moment.
void CompactWindow::showState() {
    AppModel& app = actions_.app();
    const QString name = QString::fromStdString(app.mixer().name());
    scene_->setText(elidedByWords(fontMetrics(), name, 180));
    scene_->setAccessibleName(tr("Scene %1").arg(name));
    const QString laid = QString::fromStdString(app.mixer().voice().chainModel().character());
    character_->setVisible(!laid.isEmpty());
    character_->setChecked(!laid.isEmpty());
    character_->setText(elidedByWords(fontMetrics(), laid, 70));
    setHint(character_, tr("Character “%1” is on. Turn it off").arg(laid));
    const bool muted = app.mute().on();
    mute_->setChecked(muted);
    mute_->setText(muted ? tr("Muted") : tr("Mute"));
    setWindowTitle(muted ? tr("Muted - Dusky Reed") : tr("Dusky Reed"));
    resizeEvent(nullptr);
    follow();
    update();
}

void CompactWindow::follow() {
    if (!isVisible()) return;
    AppModel& app = actions_.app();
    std::vector<Row> rows;
    for (StripModel* s : app.mixer().strips()) {
        const auto [word, trouble] = stripWord(*s);
        rows.push_back({StripLevels::of(*s), word, trouble});
    }
    const MixBalanceModel& balance = app.mixBalance();
    const OutputAdvisor& feed = app.advisor(app.mixer().main());
    const Finding under = balance.finding();
    // What is wrong comes first.
    const bool of_balance = balance.has() && (under.tone == FindingTone::warning || feed.words().isEmpty() ||
                                              feed.tone() != FindingTone::warning);
    const QString words = of_balance ? Words::of(under) : feed.words();
    const bool warns = (of_balance ? under.tone : feed.tone()) == FindingTone::warning;
    if (rows == rows_ && words == words_ && warns == warns_) return;
    rows_ = std::move(rows);
    words_ = words;
    warns_ = warns;
    setAccessibleDescription(words_);
    setHint(this, words_);
    update();
}

QRectF CompactWindow::placeOf(size_t strip) const {
    const size_t n = rows_.size();
    const size_t columns = n > kOneColumn ? 2 : 1;
    const size_t lines = std::max<size_t>(1, (n + columns - 1) / columns);
    const double w = (width() - 2.0 * kEdge - (columns > 1 ? kEdge : 0.0)) / static_cast<double>(columns);
    const double h = std::min(24.0, (height() - kTop - kFoot) / static_cast<double>(lines));
    const size_t column = strip / lines, line = strip % lines;
    return {kEdge + static_cast<double>(column) * (w + kEdge), kTop + static_cast<double>(line) * h, w, h};
}

void CompactWindow::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.fillRect(rect(), t.window);
    p.setRenderHint(QPainter::Antialiasing);
    AppModel& app = actions_.app();
    const auto& strips = app.mixer().strips();
    for (size_t i = 0; i < rows_.size() && i < strips.size(); ++i) {
        const QRectF r = placeOf(i);
        const Row& row = rows_[i];
        drawStripMarker(p, strips[i]->chainModel().spec().colour,
                        QRectF(r.left(), r.center().y() - 5, 10, 10));
        p.setFont(ui::font(13));
        p.setPen(row.trouble ? t.ember : t.text);
        const double name = std::min(96.0, 0.42 * r.width());
        const auto words = [&](const QString& text, double x, double w) {
            p.drawText(QRectF(x, r.top(), w, r.height()), Qt::AlignLeft | Qt::AlignVCenter,
                       elidedByWords(p.fontMetrics(), text, static_cast<int>(w)));
        };
        words(strips[i]->name(), r.left() + 16, name - 20);
        // In trouble the word stands where there would be nothing to see.
        const double x = r.left() + name;
        const bool silent = row.trouble && row.levels.peak <= StripLevels::kLowest;
        if (silent || strips[i]->chainModel().spec().mute)
            words(row.word, x, r.right() - x);
        else
            row.levels.paint(p, QRectF(x, r.center().y() - 4, r.right() - x, 8));
    }
    p.setFont(ui::font(13));
    p.setPen(warns_ ? t.ember : t.muted);
    const QRectF foot(kEdge, height() - kFoot, width() - 2 * kEdge, kFoot - 4);
    p.drawText(foot, Qt::AlignLeft | Qt::AlignVCenter,
               elidedBySentences(p.fontMetrics(), words_, static_cast<int>(foot.width())));
    if (!app.mute().on()) return;
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.ember, 6));
    p.drawRect(rect());
}

void CompactWindow::resizeEvent(QResizeEvent*) {
    int x = width() - kEdge;
    for (FlatButton* b : {whole_, pin_, mute_, character_}) {
        if (b->isHidden()) continue;
        const int w = b->sizeHint().width();
        x -= w;
        b->setGeometry(x, 8, w, 30);
        x -= 4;
    }
    scene_->setGeometry(kEdge, 8, std::min(scene_->sizeHint().width(), x - kEdge), 30);
    if (isVisible()) keep_later_.start();
}

void CompactWindow::closeEvent(QCloseEvent* event) {
    event->ignore();
    emit wholeWanted();
}

void CompactWindow::showEvent(QShowEvent*) {
    showState();
    emit seenChanged();
}

void CompactWindow::hideEvent(QHideEvent*) {
    keep_later_.stop();
    keep();
    emit seenChanged();
}

}  // namespace reed::ui
