#include "rail/strip_tile.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QPainter>

#include "actions/actions.h"
#include "deck/programs_menu.h"
#include "model/strips/parameter_ref.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/plain_text.h"
#include "widgets/strip_marker.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kHeight = 62, kCompactHeight = 30;
}  // namespace

StripTile::StripTile(Actions& actions, StripModel& strip, QWidget* parent)
    : QWidget(parent), actions_(actions), strip_(strip) {
    setObjectName("strip_" + QString::fromStdString(strip.chainModel().spec().id));
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(kHeight);
    mute_ = new FlatButton({}, this);
    mute_->setObjectName("strip_mute");
    mute_->setIconName("mute");
    mute_->setCheckable(true);
    mute_->setWeight(FlatButton::Weight::alarm);
    connect(mute_, &FlatButton::clicked, this, [this](bool on) { strip_.chainModel().setStripMute(on); });
    alone_ = new FlatButton({}, this);
    alone_->setObjectName("strip_alone");
    alone_->setIconName("ear");
    alone_->setCheckable(true);
    connect(alone_, &FlatButton::clicked, this,
            [this] { actions_.app().mixer().setSolo(strip_.chainModel().spec().id); });
    name_ = new QLineEdit(this);
    name_->setObjectName("strip_name");
    name_->setMaxLength(static_cast<int>(kMaxSceneName));
    name_->setFont(ui::font(13));
    name_->hide();
    name_->installEventFilter(this);
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        if (name_->isHidden()) return;
        name_->hide();
        strip_.chainModel().setStripName(name_->text());
    });
    connect(&strip.chainModel(), &ChainModel::stripChanged, this, &StripTile::show);
    connect(&strip.input(), &InputController::inputChanged, this, &StripTile::follow);
    connect(&actions_.app().mixer(), &MixerModel::focusChanged, this, &StripTile::show);
    connect(&actions_.app().mixer(), &MixerModel::soloChanged, this, &StripTile::show);
    connect(&strip, &StripModel::readingsChanged, this, &StripTile::follow);
    connect(&actions_.app().mute(), &MicrophoneMute::changed, this, &StripTile::show);
    show();
}

bool StripTile::focused() const {
    return &actions_.app().mixer().current() == &strip_;
}

void StripTile::setPlace(int place) {
    place_ = place;
    show();
}

void StripTile::setCompact(bool compact) {
    compact_ = compact;
    setFixedHeight(compact ? kCompactHeight : kHeight);
}

void StripTile::show() {
    const StripSpec& s = strip_.chainModel().spec();
    const QString name = strip_.name();
    mute_->setChecked(s.mute);
    mute_->setAccessibleName(tr("Mute %1").arg(name));
    setHint(mute_, tr("Mute %1").arg(name));
    const bool alone = actions_.app().context().monitor.solo() == s.id;
    alone_->setChecked(alone);
    alone_->setAccessibleName(tr("Solo %1 in the headphones").arg(name));
    setHint(alone_, tr("Solo %1 in the headphones; the output is unaffected").arg(name));
    setAccessibleName(focused() ? tr("%1, selected").arg(name) : name);
    follow();
    update();
}

void StripTile::follow() {
    const auto [words, trouble] = stripWord(strip_);
    const StripLevels levels = StripLevels::of(strip_);
    if (words == told_ && trouble == trouble_ && levels == levels_) return;
    told_ = words;
    trouble_ = trouble;
    levels_ = levels;
    setHint(this, words);
    setAccessibleDescription(words);
    update();
}

void StripTile::resizeEvent(QResizeEvent*) {
    const int top = compact_ ? 2 : 5;
    mute_->setGeometry(width() - 34, top, 28, 24);
    alone_->setGeometry(width() - 62, top, 28, 24);
    name_->setGeometry(28, top, width() - 36, 24);
}

void StripTile::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    const StripSpec& s = strip_.chainModel().spec();
    QPainter p(this);
    p.fillRect(rect(), t.window);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(hasFocus() ? QPen(t.marsh, 1.5) : QPen(Qt::NoPen));
    p.setBrush(focused() ? t.chosen : t.panel);
    p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 8, 8);
    drawStripMarker(p, s.colour, QRectF(10, compact_ ? 7 : 11, 12, 12));
    p.setFont(ui::font(14, focused()));
    // There is no line for a word, so the name stands for it.
    p.setPen(compact_ && trouble_ ? t.ember : t.text);
    const QRectF name(28, compact_ ? 1 : 5, alone_->x() - 30, 24);
    p.drawText(name, Qt::AlignLeft | Qt::AlignVCenter,
               elidedByWords(p.fontMetrics(), strip_.name(), static_cast<int>(name.width())));

    levels_.paint(p, compact_ ? QRectF(10, 25, width() - 20, 3) : QRectF(10, 33, width() - 20, 8));
    if (compact_) return;
    p.setFont(ui::font(12));
    p.setPen(trouble_ ? t.ember : t.muted);
    const QString key = actions_.app().preferences().keys().text("strip " + QString::number(place_));
    const int key_width = p.fontMetrics().horizontalAdvance(key);
    const QRectF words(10, 43, width() - 20, 16);
    p.drawText(words, Qt::AlignLeft | Qt::AlignVCenter,
               elidedByWords(p.fontMetrics(), told_, static_cast<int>(words.width()) - key_width - 8));
    p.setPen(t.muted);
    p.drawText(words, Qt::AlignRight | Qt::AlignVCenter, key);
}

void StripTile::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) actions_.app().mixer().focus(strip_.chainModel().spec().id);
}

void StripTile::mouseDoubleClickEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) beginRename();
}

void StripTile::wheelEvent(QWheelEvent* event) {
    const double step = event->modifiers().testFlag(Qt::ShiftModifier) ? 0.1 : 0.5;
    strip_.chainModel().setFader(strip_.chainModel().spec().fader + step * wheelNotches(*event));
    event->accept();
}

void StripTile::beginRename() {
    name_->setText(strip_.name());
    name_->show();
    name_->setFocus();
    name_->selectAll();
}

bool StripTile::eventFilter(QObject* watched, QEvent* event) {
    if (watched == name_ && event->type() == QEvent::KeyPress &&
        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
        name_->hide();
        setFocus();
        return true;
    }
    return QWidget::eventFilter(watched, event);
}

void StripTile::keyPressEvent(QKeyEvent* event) {
    const std::string id = strip_.chainModel().spec().id;
    switch (event->key()) {
        case Qt::Key_F2:
            return beginRename();
        case Qt::Key_Return:
        case Qt::Key_Enter:
        case Qt::Key_Space:
            return actions_.app().mixer().focus(id);
        case Qt::Key_Delete:
            return actions_.app().mixer().remove(id);
        case Qt::Key_M:
            return strip_.chainModel().setStripMute(!strip_.chainModel().spec().mute);
        case Qt::Key_S:
            return actions_.app().mixer().setSolo(id);
        case Qt::Key_Left:
        case Qt::Key_Right: {
            const double step = event->modifiers().testFlag(Qt::ShiftModifier) ? 0.1 : 0.5;
            return strip_.chainModel().setFader(strip_.chainModel().spec().fader +
                                                (event->key() == Qt::Key_Right ? step : -step));
        }
        case Qt::Key_Up:
        case Qt::Key_Down:
            if (event->modifiers().testFlag(Qt::ControlModifier))
                return actions_.app().mixer().move(id, event->key() == Qt::Key_Up ? -1 : 1);
            event->key() == Qt::Key_Up ? focusPreviousChild() : focusNextChild();
            return;
        default:
            QWidget::keyPressEvent(event);
    }
}

void StripTile::contextMenuEvent(QContextMenuEvent* event) {
    auto* menu = new QMenu(this);
    menu->setObjectName("strip_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const std::string id = strip_.chainModel().spec().id;
    MixerModel* desk = &actions_.app().mixer();
    menu->addAction(tr("Rename\tF2"), this, &StripTile::beginRename);
    QMenu* colours = menu->addMenu(tr("Colour and marker"));
    for (int c = 0; c < kStripColours; ++c) {
        QPixmap map(16, 16);
        map.fill(Qt::transparent);
        QPainter p(&map);
        drawStripMarker(p, c, QRectF(1, 1, 14, 14));
        p.end();
        colours->addAction(QIcon(map), stripColourName(c), this,
                           [this, c] { strip_.chainModel().setColour(c); });
    }
    MidiAssignments* midi = &actions_.app().context().midi;
    const auto offer = [&](const QString& title, const char* parameter) {
        const MidiTarget target{{}, ParameterRef(strip_, ParameterRef::kStrip, parameter).address()};
        const QString control = midi->textOfValue(target.value);
        menu->addAction(control.isEmpty() ? title : tr("%1 (%2)").arg(title, control), midi,
                        [midi, target] { midi->edit(target); });
    };
    offer(tr("MIDI control for the fader…"), "fader");
    offer(tr("MIDI control for the mute…"), "mute");
    menu->addSeparator();
    if (strip_.liveStrip().role() == StripRole::programme) {
        addPrograms(menu, strip_);
        menu->addSeparator();
    }
    menu->addAction(tr("Move up\tCtrl+Up"), desk, [desk, id] { desk->move(id, -1); });
    menu->addAction(tr("Further down\tCtrl+Down"), desk, [desk, id] { desk->move(id, 1); });
    QAction* remove = menu->addAction(tr("Remove\tDel"), desk, [desk, id] { desk->remove(id); });
    remove->setEnabled(&strip_ != &actions_.app().mixer().main());
    menu->popup(event->globalPos());
}

}  // namespace reed::ui
