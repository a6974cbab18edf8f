// The input menu: all microphones with their current levels.
#pragma once

#include <QMenu>
#include <vector>

#include "devices/device.h"

namespace reed::ui {

class StripModel;

/// A level bar is below each microphone. Deletes itself when it closes.
class InputMenu final : public QMenu {
    Q_OBJECT
  public:
    InputMenu(StripModel& strip, QWidget* parent);

    /// Length of the level bar of a microphone, 0 to 1 of the row.
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
