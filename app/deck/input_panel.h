// The input panel: controls of the simulated room, or level and problems of another input.
#pragma once

#include <QElapsedTimer>
#include <QWidget>
#include <vector>

namespace reed::ui {

class InputLevels;
class StripModel;
class ValueField;
class Words;

class InputPanel final : public QWidget {
    Q_OBJECT
  public:
    explicit InputPanel(StripModel& strip, QWidget* parent = nullptr);
    ValueField* control(int index) const { return fields_[static_cast<size_t>(index)]; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void show();
    void showSystem();
    void updateAdvice();
    StripModel& strip_;
    Words* title_;
    Words* advice_;
    InputLevels* levels_;
    std::vector<ValueField*> fields_;
    ValueField* system_;
    QElapsedTimer turned_;  // since the system volume was changed
    int ticks_ = 0;
};

}  // namespace reed::ui
