// Another scene beside the one in work: what differs, and what each makes of the same voice.
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

/// What a chain makes of a sound.
struct SceneSide {
    QStringList stages;            ///< their names, in the order of the signal
    std::vector<TapLevels> taps;   ///< one more than stages
    std::optional<double> lufs{};  ///< of what leaves it
};

/// The level diagrams of both over each other: the one in work filled and solid, the other one in broken
/// lines.
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

/// Of the strip that is worked on. Closing it ends what is still worked out.
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
