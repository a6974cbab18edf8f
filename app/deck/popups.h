// The headphones panel, and the latency and load panel.
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

/// Source, device, volume and tone of the headphones.
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

/// Latency and load per stage, dropouts with their times, buffer size, fixed latency and output delay.
class DelayPopup final : public Panel {
    Q_OBJECT
  public:
    DelayPopup(AppModel& app, StripModel& strip, QWidget* parent = nullptr);
    /// Rows as shown: name, latency, load.
    std::vector<QStringList> rows() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void place();
    QString dropoutWords() const;
    QString latencyWords() const;
    AppModel& app_;
    StripModel& strip_;
    std::vector<FlatButton*> blocks_;
    std::vector<ValueField*> fields_;
    int ticks_ = 0;
};

}  // namespace reed::ui
