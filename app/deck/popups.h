// Small panels that open from a button: the monitor, and delay and load.
#pragma once

#include <QStringList>
#include <vector>

#include "widgets/panel.h"

namespace reed::ui {

class FlatButton;
class AppModel;
class StripModel;
class ValueField;
class Words;

/// What the headphones get: source, output, volume and tone.
class MonitorPopup final : public Panel {
    Q_OBJECT
  public:
    MonitorPopup(AppModel& app, StripModel& strip, QWidget* parent = nullptr);

  private:
    void refresh();
    void chooseSink();
    AppModel& app_;
    StripModel& strip_;
    std::vector<FlatButton*> sources_;
    std::vector<ValueField*> fields_;
    ValueField *balance_ = nullptr, *together_ = nullptr;
    FlatButton* sink_;
    Words* hint_;
};

/// Where delay and load come from, stage by stage; dropouts with their times; the size of the blocks.
class DelayPopup final : public Panel {
    Q_OBJECT
  public:
    DelayPopup(AppModel& app, StripModel& strip, QWidget* parent = nullptr);
    /// The rows as they are shown: name, delay, load.
    std::vector<QStringList> rows() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void place();
    QString dropoutWords() const;
    AppModel& app_;
    StripModel& strip_;
    std::vector<FlatButton*> blocks_;
    int ticks_ = 0;
};

}  // namespace reed::ui
