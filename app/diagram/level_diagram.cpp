#include "diagram/level_diagram.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QMenu>
#include <QMouseEvent>
#include <cmath>

#include "base/decibel.h"
#include "diagram/stage_node.h"
#include "diagram/threshold_handle.h"
#include "measure/findings.h"
#include "model/chain/stage_ref.h"
#include "model/strips/monitor_controller.h"
#include "model/strips/strip_model.h"
#include "theme/theme.h"
#include "widgets/flat_button.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/plain_text.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kLeft = 58, kRight = 64, kTop = 30;
constexpr LevelAxis kAxis{-84.0, 3.0};

}  // namespace

LevelDiagram::LevelDiagram(StripModel& strip, QWidget* parent) : QWidget(parent), strip_(strip) {
    setObjectName("level_diagram");
    moved_at_.start();
    setAccessibleName(tr("Level diagram"));
    setMouseTracking(true);
    setAttribute(Qt::WA_OpaquePaintEvent);  // so that nothing behind it is drawn with every frame
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    connect(&strip_.chainModel(), &ChainModel::changed, this, &LevelDiagram::chainChanged);
    connect(&strip_.chainModel(), &ChainModel::focusChanged, this, &LevelDiagram::chainChanged);
    connect(&strip_, &StripModel::moved, this, &LevelDiagram::follow);
    connect(&strip_.monitoring(), &MonitorController::changed, this, [this] {
        for (auto* n : nodes_)
            n->setHeard(n->stageId().toStdString() == strip_.monitoring().monitoredStage());
    });
    chainChanged();
}

int LevelDiagram::stageCount() const {
    return static_cast<int>(strip_.chainModel().chain().stages.size());
}

bool LevelDiagram::twoRows() const {
    return (width() - kLeft - kRight) / (stageCount() + 1.0) < 122.0;
}

int LevelDiagram::rail() const {
    return twoRows() ? 104 : 62;
}

QRectF LevelDiagram::plot() const {
    return {kLeft, kTop, width() - kLeft - kRight + 0.0, height() - kTop - rail() + 0.0};
}

double LevelDiagram::yOf(double db) const {
    return kAxis.y(plot(), db);
}

double LevelDiagram::levelAt(double y) const {
    return kAxis.atY(plot(), y);
}

double LevelDiagram::xOf(double c) const {
    const QRectF r = plot();
    // Half a column for the microphone and the feed at the ends.
    return r.left() + c / (stageCount() + 1.0) * r.width();
}

double LevelDiagram::transition() const {
    return std::min(0.24 * (xOf(1) - xOf(0)), 34.0);
}

StageNode* LevelDiagram::node(const QString& stage_id) const {
    for (auto* n : nodes_) {
        if (n->stageId() == stage_id) return n;
    }
    return nullptr;
}

// --- nodes, buttons and handles ---

void LevelDiagram::chainChanged() {
    const auto& stages = strip_.chainModel().chain().stages;
    bool same = nodes_.size() == stages.size();
    for (size_t i = 0; same && i < stages.size(); ++i)
        same = nodes_[i]->stageId().toStdString() == stages[i].id;
    if (!same) {
        rebuildNodes();
        levels_tap_ = -1;
    } else if (!isVisible()) {
        stale_ = true;
        return;
    }
    stale_ = false;
    for (size_t i = 0; i < stages.size(); ++i) {
        nodes_[i]->setState(QString::fromStdString(stages[i].shown_title()), stages[i].bypass,
                            stages[i].id == strip_.chainModel().focused());
        nodes_[i]->setHeard(stages[i].id == strip_.monitoring().monitoredStage());
    }
    placeHandles();
    // While a value moves, twice a second is enough: an equalizer's advice designs every band.
    if (!same) updateWarnings();
    slow_ = {};
    update();
}

void LevelDiagram::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (stale_) chainChanged();
}

StageNode* LevelDiagram::makeNode(const QString& id) {
    auto* n = new StageNode(id, this);
    const std::string key = id.toStdString();
    connect(n, &StageNode::focusWanted, this, [this, key] { strip_.chainModel().focus(key); });
    connect(n, &StageNode::bypassWanted, this,
            [this, key](bool b) { strip_.chainModel().setBypass(key, b); });
    connect(n, &StageNode::moveWanted, this, [this, key](int steps) {
        strip_.chainModel().moveStage(key, strip_.chainModel().chain().index_of(key) + steps);
        if (auto* moved = node(QString::fromStdString(key))) moved->setFocus();
    });
    connect(n, &StageNode::removeWanted, this, [this, key] {
        strip_.chainModel().removeStage(key);
        if (auto* next = node(QString::fromStdString(strip_.chainModel().focused()))) next->setFocus();
    });
    connect(n, &StageNode::duplicateWanted, this, [this, key] { strip_.chainModel().duplicateStage(key); });
    connect(n, &StageNode::renameWanted, this,
            [this, key](const QString& title) { strip_.chainModel().renameStage(key, title); });
    connect(n, &StageNode::copyWanted, this, [this, key] {
        QGuiApplication::clipboard()->setText(stageText(strip_.chainModel(), key));
        strip_.notices().say(tr("Stage copied to the clipboard."));
    });
    connect(n, &StageNode::pasteWanted, this, [this, key] {
        const auto behind = static_cast<size_t>(strip_.chainModel().chain().index_of(key) + 1);
        if (!pasteStages(strip_.chainModel(), strip_.notices(), QGuiApplication::clipboard()->text(), behind))
            return;
        if (auto* fresh = node(QString::fromStdString(strip_.chainModel().focused()))) fresh->setFocus();
    });
    connect(n, &StageNode::monitorRequested, this,
            [this, key] { strip_.monitoring().monitorAfterStage(key); });
    connect(n, &StageNode::levelsWanted, this, [this, key] {
        const int tap = strip_.chainModel().chain().index_of(key);
        showLevels(tap == levels_tap_ ? -1 : tap);
    });
    connect(n, &StageNode::toggleAbRequested, this, [this, key] { strip_.chainModel().toggleAb(key); });
    connect(n, &StageNode::resetWanted, this, [this, key] { strip_.chainModel().resetStage(key); });
    connect(n, &StageNode::neighbourWanted, this, [this, key](int step) {
        const int to = strip_.chainModel().chain().index_of(key) + step;
        if (to < 0 || to >= stageCount()) return;
        nodes_[static_cast<size_t>(to)]->setFocus();
        strip_.chainModel().focus(strip_.chainModel().chain().stages[static_cast<size_t>(to)].id);
    });
    connect(n, &StageNode::dragged, this, [this](int x) {
        drop_at_ =
            std::clamp(static_cast<int>(std::lround((x - xOf(0)) / (xOf(1) - xOf(0)))), 1, stageCount());
        update();
    });
    connect(n, &StageNode::dropped, this, [this, key](int) {
        const int to = drop_at_;
        drop_at_ = -1;
        if (to > 0) strip_.chainModel().moveStage(key, to - 1);
        placeChildren();
        update();
    });
    return n;
}

void LevelDiagram::rebuildNodes() {
    const bool had_focus = focusWidget() != nullptr && isAncestorOf(focusWidget());
    for (auto* n : nodes_) {
        n->hide();
        n->deleteLater();
    }
    nodes_.clear();
    for (const auto& s : strip_.chainModel().chain().stages)
        nodes_.push_back(makeNode(QString::fromStdString(s.id)));
    while (adds_.size() > nodes_.size() + 1) {
        adds_.back()->deleteLater();
        adds_.pop_back();
    }
    while (adds_.size() < nodes_.size() + 1) {
        auto* add = new FlatButton({}, this);
        add->setIconName("plus");
        const int index = static_cast<int>(adds_.size());
        add->setObjectName(QString("add_%1").arg(index));
        add->setAccessibleName(tr("Add a stage at position %1").arg(index + 1));
        setHint(add, tr("Add a stage here"));
        connect(add, &FlatButton::clicked, this,
                [this, index, add] { openAddMenu(index, add->mapToGlobal(QPoint(0, add->height()))); });
        adds_.push_back(add);
    }
    background_ = {};
    shown_.clear();
    reduction_.assign(nodes_.size(), 0.0);
    placeChildren();
    for (auto* n : nodes_) n->show();
    for (auto* a : adds_) a->show();
    if (had_focus) {
        if (auto* n = node(QString::fromStdString(strip_.chainModel().focused()))) n->setFocus();
    }
    // Tab goes along the signal.
    for (size_t i = 0; i + 1 < nodes_.size(); ++i) setTabOrder(nodes_[i], nodes_[i + 1]);
}

void LevelDiagram::placeChildren() {
    const double column = xOf(1) - xOf(0);
    const bool two = twoRows();
    const int y = height() - rail() + (two ? 8 : 12);
    const int room = static_cast<int>(two ? 2.0 * column : column) - (two ? 12 : 24);
    const int w = std::clamp(room, 40, 138);
    for (size_t i = 0; i < nodes_.size(); ++i) {
        if (nodes_[i]->dragging()) continue;
        const int x = static_cast<int>(xOf(static_cast<double>(i) + 1)) - w / 2;
        nodes_[i]->setGeometry(std::clamp(x, 2, width() - w - 2), two && i % 2 == 1 ? y + 56 : y, w,
                               two ? 30 : 36);
    }
    const int add = two ? 20 : 24;
    const int middle = two ? y + 43 : y + 18;
    for (size_t i = 0; i < adds_.size(); ++i) {
        adds_[i]->setGeometry(static_cast<int>(xOf(static_cast<double>(i) + 0.5)) - add / 2, middle - add / 2,
                              add, add);
    }
    placeHandles();
}

void LevelDiagram::placeHandles() {
    struct Wanted {
        const StageSpec* stage;
        int parameter;
        size_t column;
    };
    std::vector<Wanted> wanted;
    const auto& stages = strip_.chainModel().chain().stages;
    for (size_t i = 0; i < stages.size(); ++i) {
        const auto& table = stages[i].stage_kind().parameters;
        for (size_t p = 0; p < table.size(); ++p) {
            if (table[p].mark != DiagramMark::none) wanted.push_back({&stages[i], static_cast<int>(p), i});
        }
    }
    bool same = wanted.size() == handles_.size();
    for (size_t i = 0; same && i < wanted.size(); ++i) {
        same = handles_[i]->stageId().toStdString() == wanted[i].stage->id &&
               handles_[i]->parameter() == wanted[i].parameter &&
               handle_kinds_[i] == &wanted[i].stage->stage_kind();
    }
    if (!same) {
        for (auto* h : handles_) {
            h->hide();
            h->deleteLater();
        }
        handles_.clear();
        handle_kinds_.clear();
        for (const auto& w : wanted) {
            auto* h = new ThresholdHandle(QString::fromStdString(w.stage->id), w.parameter, this);
            const std::string id = w.stage->id;
            const auto index = static_cast<size_t>(w.parameter);
            connect(h, &ThresholdHandle::grabbed, this, [this, id] { strip_.chainModel().focus(id); });
            const StageRef stage(strip_.chainModel(), id);
            connect(h, &ThresholdHandle::draggedTo, this,
                    [this, stage, index](double y, bool) { stage.drag(index, levelAt(y)); });
            connect(h, &ThresholdHandle::stepWanted, this,
                    [stage, index](double steps, bool fine) { stage.turn(index, steps, fine); });
            connect(h, &ThresholdHandle::finished, this, [stage] { stage.done(); });
            handles_.push_back(h);
            handle_kinds_.push_back(&w.stage->stage_kind());
            h->show();
        }
    }
    const double column = xOf(1) - xOf(0);
    for (size_t i = 0; i < handles_.size(); ++i) {
        const StageSpec& s = *wanted[i].stage;
        const auto index = static_cast<size_t>(wanted[i].parameter);
        const Parameter& p = s.stage_kind().parameters[index];
        handles_[i]->setMark(text(p.mark_title),
                             QString::fromStdString(s.shown_title()) + ": " + text(p.title), s.values[index],
                             s.bypass);
        const int w = static_cast<int>(std::clamp(column - 6.0, 84.0, 120.0));
        const double y = yOf(s.values[index]);
        handles_[i]->setGeometry(static_cast<int>(xOf(static_cast<double>(wanted[i].column) + 1)) - 4,
                                 static_cast<int>(std::lround(y)) - ThresholdHandle::kHeight / 2, w,
                                 ThresholdHandle::kHeight);
        // Two labels of one stage closer than a line of text make way for each other.
        int shift = 0;
        for (size_t k = 0; k < handles_.size(); ++k) {
            if (k == i || wanted[k].column != wanted[i].column) continue;
            const double other = yOf(wanted[k].stage->values[static_cast<size_t>(wanted[k].parameter)]);
            const double missing = 17.0 - std::abs(other - y);
            if (missing <= 0.0) continue;
            const bool above = y < other || (y == other && i < k);
            shift = static_cast<int>(std::ceil(missing / 2.0)) * (above ? -1 : 1);
        }
        handles_[i]->setLabelShift(shift);
    }
}

void LevelDiagram::openAddMenu(int index, const QPoint& global) {
    auto* menu = new QMenu(this);
    menu->setObjectName("add_menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const auto* kind : stage_kinds()) {
        QAction* action = menu->addAction(text(kind->title) + "\t" + text(kind->purpose));
        action->setObjectName("add_" + text(kind->id));
        connect(action, &QAction::triggered, this,
                [this, kind, index] { strip_.chainModel().addStage(*kind, static_cast<size_t>(index)); });
    }
    menu->popup(global);
}

// --- following the sound ---

bool LevelDiagram::differs(const std::vector<Shown>& a, const std::vector<Shown>& b, double by) {
    if (a.size() != b.size()) return true;
    for (size_t i = 0; i < a.size(); ++i) {
        if (a[i].room_known != b[i].room_known || a[i].voice_known != b[i].voice_known) return true;
        for (double Shown::*m : {&Shown::room, &Shown::room_high, &Shown::voice_low, &Shown::voice,
                                 &Shown::voice_high, &Shown::peak})
            if (std::abs(a[i].*m - b[i].*m) > by) return true;
    }
    return false;
}

void LevelDiagram::follow() {
    if (!isVisible()) return;
    if (!strip_.levelsFit()) return;
    const LevelReport& report = strip_.levels();
    // The shares below are of a sixtieth of a second.
    const double frames = std::clamp(0.06 * static_cast<double>(moved_at_.restart()), 0.2, 60.0);
    double moved = 0.0;  // of what is drawn at once
    const bool fresh = shown_.size() != report.taps.size();
    // Half a second of digital silence is reported once.
    const bool silent = report.seconds >= 0.5 && report.taps[0].peak <= kAxis.lowest;
    slow_stale_ = slow_stale_ || fresh || silent != silent_;
    silent_ = silent;
    if (fresh)
        shown_.assign(report.taps.size(), Shown{kAxis.lowest, kAxis.lowest, kAxis.lowest, kAxis.lowest,
                                                kAxis.lowest, kAxis.lowest, kAxis.lowest, false, false});
    const auto approach = [&](double& now, double goal, double share) {
        goal = std::clamp(goal, kAxis.lowest, kAxis.highest);
        const double step = (fresh ? 1.0 : 1.0 - std::pow(1.0 - share, frames)) * (goal - now);
        now += step;
        return std::abs(step);
    };
    for (size_t i = 0; i < report.taps.size(); ++i) {
        const TapLevels& l = report.taps[i];
        Shown& s = shown_[i];
        s.room_known = l.room_known;
        s.voice_known = l.voice_known;
        approach(s.room, l.room, 0.095);
        approach(s.room_high, l.room_high, 0.095);
        approach(s.voice_low, l.voice_low, 0.095);
        approach(s.voice, l.voice, 0.095);
        approach(s.voice_high, l.voice_high, 0.095);
        approach(s.peak, l.peak, 0.16);
        moved = std::max(moved, approach(s.now, l.now, 0.3));
    }
    for (size_t i = 0; i < report.stages.size() && i < reduction_.size(); ++i) {
        moved = std::max(moved, approach(reduction_[i], -std::min(60.0, report.stages[i].now), 0.3));
    }
    usual_.resize(report.stages.size(), 0.0);
    for (size_t i = 0; i < report.stages.size(); ++i) usual_[i] = report.stages[i].usual;
    const double before = frames_;
    frames_ += frames;
    const auto every = [&](double n) { return std::floor(frames_ / n) != std::floor(before / n); };
    if (every(30)) updateWarnings();
    if (levels_tap_ >= 0 && every(24)) {
        levels_ = strip_.readings().statistics().distribution(static_cast<size_t>(levels_tap_));
        moved = 1.0;
    }
    // What moves by decibels is drawn ten times a second, what creeps three times.
    constexpr double kSeen = 0.15;  // dB; half a pixel
    if (every(6) && (slow_stale_ || differs(shown_, drawn_, every(18) ? kSeen : 1.0))) {
        slow_ = {};
        slow_stale_ = false;
        moved = 1.0;
    }
    // Without a signal nothing moves, and nothing is drawn. The nodes below the plot keep still.
    if (moved > 0.02) update(QRect(0, 0, width(), height() - rail() + 2));
}

void LevelDiagram::updateWarnings() {
    if (!strip_.levelsFit()) return;
    for (size_t i = 0; i < nodes_.size(); ++i) {
        const Finding f = stage_finding(strip_.chainModel().chain(), i, strip_.findingLevels());
        const QString trouble = strip_.stageFault(strip_.chainModel().chain().stages[i].id);
        nodes_[i]->setWarning(trouble.isEmpty() && f.tone == FindingTone::warning ? Words::of(f) : trouble);
    }
}

void LevelDiagram::resizeEvent(QResizeEvent*) {
    background_ = slow_ = {};
    placeChildren();
}

void LevelDiagram::changeEvent(QEvent* event) {
    if (event->type() == QEvent::PaletteChange || event->type() == QEvent::StyleChange)
        background_ = slow_ = {};
    QWidget::changeEvent(event);
}

void LevelDiagram::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position();
    int over = -1;
    if (plot().contains(at)) {
        over = std::clamp(static_cast<int>((at.x() - xOf(0)) / (xOf(1) - xOf(0))), 0, stageCount());
    }
    if (over != hover_) {
        hover_ = over;
        update();
    }
}

void LevelDiagram::showLevels(int tap) {
    levels_tap_ = tap;
    levels_ = {};
    if (tap >= 0 && strip_.levelsFit())
        levels_ = strip_.readings().statistics().distribution(static_cast<size_t>(tap));
    update();
}

void LevelDiagram::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !plot().contains(event->position())) return;
    showLevels(hover_ == levels_tap_ ? -1 : hover_);
}

void LevelDiagram::leaveEvent(QEvent*) {
    hover_ = -1;
    update();
}

}  // namespace reed::ui
