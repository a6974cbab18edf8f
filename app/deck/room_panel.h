// Controls of the simulated room, or what there is to say about another input.
#pragma once

#include <QLabel>
#include <QWidget>
#include <vector>

namespace reed::ui {

class Session;
class ValueField;

class RoomPanel final : public QWidget {
    Q_OBJECT
  public:
    explicit RoomPanel(Session& session, QWidget* parent = nullptr);
    ValueField* control(int index) const { return fields_[static_cast<size_t>(index)]; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void show();
    void updateAdvice();
    Session& session_;
    QLabel* title_;
    QLabel* advice_;
    std::vector<ValueField*> fields_;
    int tone_ = -1, ticks_ = 0;
};

}  // namespace reed::ui
