// What a soundcheck found, and the chain that it proposes, line by line.
#pragma once

#include <QWidget>
#include <vector>

class QScrollArea;

namespace reed::ui {

class FlatButton;
class AppModel;
class Words;

class SoundcheckResults final : public QWidget {
    Q_OBJECT
  public:
    SoundcheckResults(AppModel& app, QWidget* parent);

    /// Shows the results of the model, which has some. `fresh`: they are others than before.
    void show(bool fresh);
    /// The button that leads on.
    FlatButton* primary() const;

  private:
    void fill();
    QWidget* findingRows();
    QWidget* lineRows();
    void saveReport();

    AppModel& app_;
    Words *summary_, *order_;
    QScrollArea *findings_, *lines_;
    FlatButton *apply_, *compare_;
    std::vector<FlatButton*> line_buttons_;
};

}  // namespace reed::ui
