// What goes out: loudness, true peak, and whether it is muted.
#pragma once

#include <QWidget>
#include <deque>
#include <optional>

#include "measure/findings.h"

namespace reed::ui {

class FlatButton;
class Session;
class Words;

class FeedPanel final : public QWidget {
    Q_OBJECT
  public:
    explicit FeedPanel(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override { return {360, 158}; }
    QSize minimumSizeHint() const override { return {300, 158}; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void follow();
    void placeButtons();
    /// Where a loudness stands on the bar, in pixels.
    double markAt(double lufs) const;
    void judge();
    void listenAnew();
    void apply();
    void chooseTarget();
    Session& session_;
    Words* verdict_;
    FlatButton* apply_;
    FlatButton* target_;
    FeedFinding proposed_;
    std::deque<double> heard_;  // loudness of the last 3 s of talk, LUFS, each half second
    int wait_ = 0, ticks_ = 0;
    FlatButton* restart_;
    FlatButton* monitor_;
    QString short_term_, integrated_, peak_;
    double bar_ = -80.0;
};

}  // namespace reed::ui
