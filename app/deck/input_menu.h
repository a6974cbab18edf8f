// The chooser of the input: every microphone with the level it hears now.
#pragma once

#include <QMenu>
#include <vector>

#include "devices/device.h"

namespace reed::ui {

class StripModel;

/// Speak, and the line under the right one moves. Made for one opening; deletes itself when it closes.
class InputMenu final : public QMenu {
    Q_OBJECT
  public:
    InputMenu(StripModel& strip, QWidget* parent);

    /// Where the line of level under a microphone's name ends, 0 to 1 of the row's width.
    double lineOf(const std::string& name) const;

  signals:
    void fileWanted();
    void micNameWanted();

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    QAction* add(const QString& title, const DeviceChoice& choice);
    void addMicrophones();
    void addChannels();
    void addOffers();
    void follow();

    StripModel& strip_;
    struct Row {
        QAction* action;
        QString title;
        std::string name;
    };
    std::vector<Row> rows_;
};

}  // namespace reed::ui
