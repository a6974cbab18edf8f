// The level diagram: the signal path from left to right, live levels from bottom to top.
#pragma once

#include <QElapsedTimer>
#include <QPixmap>
#include <QWidget>
#include <vector>

#include "measure/level_statistics.h"
#include "stages/stage.h"

namespace reed::ui {

class FlatButton;
class StripModel;
class StageNode;
class ThresholdHandle;

/// Shows background noise, voice and peak between the stages, with the stage nodes and threshold handles.
class LevelDiagram final : public QWidget {
    Q_OBJECT
  public:
    explicit LevelDiagram(StripModel& strip, QWidget* parent = nullptr);

    /// Pixel row of a level in dBFS, and back.
    double yOf(double db) const;
    double levelAt(double y) const;
    /// Pixel column of column `c`: 0 is the input, 1 to n are the stages, n + 1 is the output.
    double xOf(double c) const;
    StageNode* node(const QString& stage_id) const;
    /// Opens the list of stage kinds to add one at `index`.
    void openAddMenu(int index, const QPoint& global);

    /// Shows how often each level occurs at a tap (0: input), on the scale of the diagram; -1 hides it.
    void showLevels(int tap);
    int levelsShown() const { return levels_tap_; }

    QSize minimumSizeHint() const override { return {760, 240}; }

  protected:
    void showEvent(QShowEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void changeEvent(QEvent* event) override;

  private:
    struct Shown {  // levels as drawn: the measured ones, smoothed
        double room, room_high, voice_low, voice, voice_high, peak, now;
        bool room_known, voice_known;
    };
    void chainChanged();
    void rebuildNodes();
    StageNode* makeNode(const QString& id);
    void placeChildren();
    void placeHandles();
    void follow();
    static bool differs(const std::vector<Shown>& a, const std::vector<Shown>& b, double by);
    void updateWarnings();
    int stageCount() const;
    /// Whether the nodes are in two rows, so that the names of a long chain fit.
    bool twoRows() const;
    int rail() const;
    QRectF plot() const;
    double transition() const;

    void drawBackground();
    void drawSlow();
    QPixmap blankLayer() const;
    void paintNow(QPainter& p) const;
    void paintRoom(QPainter& p) const;
    void paintVoice(QPainter& p) const;
    void paintPeak(QPainter& p) const;
    void paintReduction(QPainter& p) const;
    void paintLabels(QPainter& p) const;
    void paintRail(QPainter& p) const;
    void paintHover(QPainter& p) const;
    void paintLevels(QPainter& p) const;
    void paintWanted(QPainter& p, size_t stage, double x) const;
    QPainterPath line(double Shown::*level) const;

    StripModel& strip_;
    std::vector<StageNode*> nodes_;
    std::vector<FlatButton*> adds_;
    std::vector<ThresholdHandle*> handles_;
    std::vector<const StageKind*> handle_kinds_;  // kinds of their stages
    std::vector<Shown> shown_, drawn_;            // drawn_: as in slow_
    std::vector<double> reduction_, usual_;
    QPixmap background_;
    /// Slow parts (ribbons, labels), drawn at most eleven times a second. The current level is drawn over
    /// them at the full rate.
    QPixmap slow_;
    bool slow_stale_ = false;
    bool silent_ = false;  // the input is digital silence
    int levels_tap_ = -1;
    LevelDistribution levels_;
    int hover_ = -1, drop_at_ = -1;
    double frames_ = 0.0;  // time of the smoothing, in 1/60 s
    QElapsedTimer moved_at_;
    bool stale_ = false;  // a value changed while the diagram was hidden
};

}  // namespace reed::ui
