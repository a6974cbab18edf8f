#include "deck/scene_compare_popover.h"

#include <QHBoxLayout>
#include <QPainter>
#include <QPainterPath>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <tuple>

#include "deck/changes_popover.h"
#include "engine/render.h"
#include "measure/loudness.h"
#include "model/scenes/adaptation_model.h"
#include "theme/theme.h"
#include "widgets/input.h"
#include "widgets/level_axis.h"
#include "widgets/words.h"

namespace reed::ui {
namespace {

constexpr int kWidth = 680, kPictureHeight = 250;
constexpr double kAxis = 34.0, kFeed = 58.0, kNames = 36.0, kTop = 8.0;
constexpr LevelAxis kLevels{-90.0, 0.0};

SceneSide sideOf(const StripSpec& strip) {
    SceneSide out;
    for (const StageSpec& s : strip.chain.stages) out.stages << QString::fromStdString(s.shown_title());
    return out;
}

/// Both chains over the same sound.
Result<std::pair<SceneSide, SceneSide>> workOut(const StripSpec& work, const StripSpec& other,
                                                const RecentInput& heard, const Progress& progress) {
    std::pair<SceneSide, SceneSide> out{sideOf(work), sideOf(other)};
    double done = 0.0;
    for (const auto& [spec, side] : {std::pair(&work, &out.first), std::pair(&other, &out.second)}) {
        const ChainSpec chain = without_transients(spec->chain);
        AudioBuffer made;
        const auto levels =
            sound_levels(chain, heard.sound, heard.rate, part_of(progress, done, done + 0.5), &made);
        if (!levels.ok()) return levels.error();
        side->taps = levels.value().report().taps;
        side->lufs = measure_loudness(made, heard.rate).integrated;
        if (side->lufs) *side->lufs += spec->fader;
        done += 0.5;
    }
    return out;
}

/// What a difference is, seen from both: of the one in work, and of the other.
std::pair<QString, QString> bothWords(const Difference& d, const ChainModel& strip) {
    using What = Difference::What;
    if (d.what == What::added || d.what == What::strip_added)
        return {SceneComparePopover::tr("only in this scene"), {}};
    if (d.what == What::removed || d.what == What::strip_removed)
        return {{}, SceneComparePopover::tr("only in the other scene")};
    if (d.what != What::value) return {changeWords(d, strip).first, {}};
    if (strip.stage(d.stage) == nullptr) return {SceneComparePopover::tr("another value"), {}};
    const Parameter& p = strip.stage(d.stage)->stage_kind().parameters[d.row];
    QString name = text(p.title);
    if (!p.group.empty()) name = text(p.group) + ' ' + name;
    return {name + ' ' + QString::fromStdString(format_value(p, d.now)),
            QString::fromStdString(format_value(p, d.saved))};
}

}  // namespace

// --- the picture ---

SceneCompareView::SceneCompareView(QWidget* parent) : QWidget(parent) {
    setObjectName("beside_picture");
    setFixedHeight(kPictureHeight);
    setAccessibleName(tr("Levels of both scenes, from input to output"));
}

void SceneCompareView::show(const SceneSide& work, const SceneSide& other) {
    sides_ = {work, other};
    QStringList words;
    for (const SceneSide& s : sides_) {
        const TapLevels& out = s.taps.back();
        words << tr("room %1, voice %2, peak %3 dBFS")
                     .arg(out.room, 0, 'f', 0)
                     .arg(out.voice, 0, 'f', 0)
                     .arg(out.peak, 0, 'f', 0);
    }
    setAccessibleDescription(tr("Current: %1. Other: %2.").arg(words[0], words[1]));
    update();
}

void SceneCompareView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.sunken);
    const QRectF plot(kAxis, kTop, width() - kAxis - kFeed, height() - kTop - kNames);
    kLevels.paint(p, plot, 0, 20, kAxis - 6.0);
    for (size_t i = 0; i < sides_.size(); ++i) {
        const SceneSide& side = sides_[i];
        const bool work = i == 0;
        const double step = plot.width() / static_cast<double>(std::max<size_t>(1, side.taps.size() - 1));
        const auto line = [&](auto level) {
            QPolygonF out;
            for (size_t k = 0; k < side.taps.size(); ++k)
                out << QPointF(plot.left() + step * static_cast<double>(k),
                               kLevels.y(plot, level(side.taps[k])));
            return out;
        };
        const Qt::PenStyle style = work ? Qt::SolidLine : Qt::DashLine;
        if (work) {
            QPolygonF band = line([](const TapLevels& l) { return l.voice_high; });
            const QPolygonF low = line([](const TapLevels& l) { return l.voice_low; });
            for (auto at = low.rbegin(); at != low.rend(); ++at) band << *at;
            p.setPen(Qt::NoPen);
            p.setBrush(t.strawFill);
            p.drawPolygon(band);
        }
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(t.straw, 1.8, style));
        p.drawPolyline(line([](const TapLevels& l) { return l.voice; }));
        p.setPen(QPen(t.room, 1.6, style));
        p.drawPolyline(line([](const TapLevels& l) { return l.room; }));
        p.setPen(QPen(t.text, 1.0, work ? Qt::SolidLine : Qt::DotLine));
        p.drawPolyline(line([](const TapLevels& l) { return l.peak; }));
        // Names under the middle of each stage; those of the other scene in a row of their own.
        p.setFont(ui::font(11));
        p.setPen(work ? t.text : t.muted);
        const double top = plot.bottom() + (work ? 2.0 : 18.0);
        p.drawText(QRectF(0, top, kAxis - 4.0, 14), Qt::AlignRight | Qt::AlignVCenter,
                   work ? tr("here") : tr("there"));
        for (int k = 0; k < side.stages.size(); ++k) {
            const QRectF at(plot.left() + step * k, top, step, 14);
            p.drawText(
                at, Qt::AlignHCenter | Qt::AlignVCenter,
                p.fontMetrics().elidedText(side.stages[k], Qt::ElideRight, static_cast<int>(step) - 4));
        }
    }
    if (sides_.empty()) return;
    p.setFont(ui::font(12));
    const TapLevels& in = sides_.front().taps.front();
    for (const auto& [level, ink, name] :
         {std::tuple(in.peak, t.text, tr("peak")), std::tuple(in.voice, t.straw, tr("voice")),
          std::tuple(in.room, t.room, tr("room"))}) {
        p.setPen(ink);
        p.drawText(QPointF(plot.left() + 5.0, kLevels.y(plot, level) - 4.0), name);
    }
    // Levels of the feed beside it: here in full, there muted; where both are close they make way for each
    // other.
    struct Label {
        double y;
        QString text;
        QColor ink;
        bool bold;
    };
    std::vector<Label> labels;
    for (size_t i = 0; i < sides_.size(); ++i) {
        const TapLevels& out = sides_[i].taps.back();
        for (const auto& [level, ink] :
             {std::pair(out.peak, t.text), std::pair(out.voice, t.straw), std::pair(out.room, t.room)})
            labels.push_back({kLevels.y(plot, level), QString::number(std::lround(level)), ink, i == 0});
    }
    std::ranges::stable_sort(labels, {}, &Label::y);
    double last = -100.0;
    for (const Label& l : labels) {
        const double y = std::max(l.y, last + 12.0);
        last = y;
        p.setFont(ui::font(12, l.bold));
        p.setPen(l.ink);
        p.drawText(QRectF(plot.right() + 6.0, y - 8.0, kFeed - 8.0, 16.0), Qt::AlignLeft | Qt::AlignVCenter,
                   l.bold ? l.text : tr("(%1)").arg(l.text));
    }
}

// --- the panel ---

SceneComparePopover::SceneComparePopover(AppModel& app, QWidget* parent)
    : Panel("scene_beside", tr("Compare the current scene with another one"), parent), app_(app) {
    setFixedWidth(kWidth);
    auto* head = new QHBoxLayout;
    head->setSpacing(10);
    auto* title = new Words(Words::Ink::text, this);
    title->setFont(ui::font(16, true));
    title->setText(tr("Compare “%1” with").arg(QString::fromStdString(app_.mixer().name())));
    head->addWidget(title);
    which_ = new QComboBox(this);
    which_->setObjectName("beside_which");
    which_->setAccessibleName(tr("The other scene"));
    which_->setFont(ui::font(14));
    for (const SceneEntry& e : app_.scenes().scenes()) {
        if (e.scene.name != app_.mixer().name()) which_->addItem(QString::fromStdString(e.scene.name));
    }
    head->addWidget(which_, 1);
    column()->addLayout(head);
    picture_ = new SceneCompareView(this);
    column()->addWidget(picture_);
    state_ = addWords(Words::Ink::muted, 14);
    state_->setObjectName("beside_state");
    state_->setWordWrap(true);
    list_ = new QGridLayout;
    list_->setHorizontalSpacing(14);
    list_->setVerticalSpacing(4);
    column()->addLayout(list_);
    connect(which_, &QComboBox::currentIndexChanged, this, &SceneComparePopover::choose);
    connect(this, &SceneComparePopover::progressed, this, [this](int percent) {
        // What was cancelled may still be on its way.
        if (end_ && !picture_->shown())
            tell(tr("Processing recent speech through both scenes: %1%").arg(percent));
    });
    choose();
}

SceneComparePopover::~SceneComparePopover() {
    if (end_) *end_ = true;
}

void SceneComparePopover::tell(const QString& words) {
    state_->setText(words);
    fitContents();
}

void SceneComparePopover::choose() {
    if (end_) *end_ = true;
    const Scene* found = app_.scenes().find(which_->currentText().toStdString());
    if (found == nullptr) {
        tell(tr("No other scenes yet."));
        return;
    }
    const Scene other = *found;
    listDifferences(other);
    StripModel& s = app_.mixer().current();
    const StripSpec work = s.chainModel().spec();
    // The same strip there, or else its first voice.
    const int same = other.desk.index_of(work.id);
    const auto voice = std::ranges::find(other.desk.strips, StripRole::voice, &StripSpec::role);
    const StripSpec there = same >= 0 ? other.desk.strips[static_cast<size_t>(same)] : *voice;
    auto heard = std::make_shared<RecentInput>(recentInput(s, AdaptationModel::kSeconds));
    if (!heard->enough()) {
        tell(RecentInput::tooLittle());
        return;
    }
    end_ = std::make_shared<std::atomic<bool>>(false);
    picture_->clear();
    tell(tr("Processing recent speech through both scenes"));
    const auto progress = [this, end = end_, last = -1](double part) mutable {
        if (*end) return false;
        if (const int percent = static_cast<int>(100.0 * part); percent != last) {
            last = percent;
            emit progressed(percent);  // from there; heard here
        }
        return true;
    };
    background_.run([work, there, heard, progress] { return workOut(work, there, *heard, progress); },
                    [this, end = end_](Result<std::pair<SceneSide, SceneSide>> sides) {
                        if (*end) return;
                        if (!sides.ok()) {
                            tell(QString::fromStdString(sides.error().text()));
                            return;
                        }
                        showSides(sides.value().first, sides.value().second);
                    });
}

void SceneComparePopover::showSides(const SceneSide& work, const SceneSide& other) {
    picture_->show(work, other);
    const auto lufs = [](const SceneSide& s) {
        return s.lufs ? QString::number(*s.lufs, 'f', 1) : tr("unknown");
    };
    tell(tr("Recent speech through both scenes. Solid: current scene, %2 LUFS. Dashed: “%1”, %3 LUFS.")
             .arg(which_->currentText(), lufs(work), lufs(other)));
}

void SceneComparePopover::listDifferences(const Scene& other) {
    empty(*list_);
    const auto all = differences(other.desk, without_transients(app_.mixer().scene().desk));
    const auto put = [&](int row, int column, const QString& words, Words::Ink ink) {
        auto* w = new Words(ink, this);
        w->setFont(ui::font(14));
        w->setText(words);
        list_->addWidget(w, row, column);
    };
    put(0, 0, all.empty() ? tr("No differences") : tr("Differences"), Words::Ink::muted);
    if (!all.empty()) {
        put(0, 1, tr("here"), Words::Ink::muted);
        put(0, 2, tr("there"), Words::Ink::muted);
    }
    int row = 1;
    for (const Difference& d : all) {
        if (row == kRows && all.size() > kRows) {
            put(row, 0, tr("and %1 more").arg(all.size() - static_cast<size_t>(row - 1)), Words::Ink::muted);
            break;
        }
        const StripModel* of = app_.mixer().find(d.strip);
        const auto [here, there] = bothWords(d, (of != nullptr ? *of : app_.mixer().current()).chainModel());
        put(row, 0, QString::fromStdString(d.title), Words::Ink::muted);
        put(row, 1, here, Words::Ink::text);
        put(row, 2, there, Words::Ink::text);
        ++row;
    }
    list_->setColumnStretch(1, 1);
    list_->setColumnStretch(2, 1);
}

}  // namespace reed::ui
