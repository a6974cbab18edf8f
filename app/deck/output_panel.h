// The output panel: loudness, true peak, mute, and advice.
#pragma once

#include <QWidget>

namespace reed::ui {

class FlatButton;
class AppModel;
class StripModel;
class Words;

class OutputPanel final : public QWidget {
    Q_OBJECT
  public:
    OutputPanel(AppModel& app, StripModel& strip, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {360, 158}; }
    QSize minimumSizeHint() const override { return {300, 158}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void follow();
    void placeButtons();
    /// Pixel column of a loudness on the bar.
    double markAt(double lufs) const;
    void showVerdict();
    void openAdviceMenu();
    void chooseTarget();
    AppModel& app_;
    StripModel& strip_;
    Words* verdict_;
    FlatButton *apply_, *advice_menu_;
    FlatButton* target_;
    FlatButton* restart_;
    FlatButton* monitor_;
    QString short_term_, integrated_, peak_;
    double bar_ = -80.0;
};

}  // namespace reed::ui
