// The findings of a soundcheck, and the proposed chain line by line.
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

    /// Shows the results. Precondition: the model has some. `fresh`: they are new.
    void show(bool fresh);
    /// The main button.
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
