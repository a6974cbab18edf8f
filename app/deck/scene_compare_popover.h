// Compares the current scene with another one.
#pragma once

#include <QComboBox>
#include <atomic>
#include <memory>
#include <optional>
#include <vector>

#include "measure/level_statistics.h"
#include "model/app_model.h"
#include "model/shared/background.h"
#include "widgets/panel.h"

namespace reed::ui {

class Words;

/// Levels that a chain produces from a recording.
struct SceneSide {
    QStringList stages;            ///< names, in the order of the signal
    std::vector<TapLevels> taps;   ///< size: stages + 1
    std::optional<double> lufs{};  ///< loudness of the output
};

/// Level diagrams of both: the current scene filled and solid, the other one dashed.
class SceneCompareView final : public QWidget {
    Q_OBJECT
  public:
    explicit SceneCompareView(QWidget* parent = nullptr);
    void show(const SceneSide& work, const SceneSide& other);
    void clear() {
        sides_.clear();
        update();
    }
    bool shown() const { return !sides_.empty(); }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    std::vector<SceneSide> sides_;
};

/// Lists the differences and shows the levels of the selected strip. Closing cancels a running computation.
class SceneComparePopover final : public Panel {
    Q_OBJECT
  public:
    explicit SceneComparePopover(AppModel& app, QWidget* parent = nullptr);
    ~SceneComparePopover() override;

    static constexpr int kRows = 6;

  signals:
    void progressed(int percent);

  private:
    void choose();
    void listDifferences(const Scene& other);
    void tell(const QString& words);
    void showSides(const SceneSide& work, const SceneSide& other);

    AppModel& app_;
    QComboBox* which_;
    Words* state_;
    QGridLayout* list_;
    SceneCompareView* picture_;
    std::shared_ptr<std::atomic<bool>> end_;
    Background background_;
};

}  // namespace reed::ui
