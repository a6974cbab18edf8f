// The editor of the selected stage: header, pane of its kind, advice.
#pragma once

#include <QWidget>

#include "stages/finding.h"

namespace reed::ui {

class FlatButton;
class AppModel;
class StripModel;
class StagePane;
class ValueField;
class Words;

class StageEditor final : public QWidget {
    Q_OBJECT
  public:
    StageEditor(AppModel& app, StripModel& strip, QWidget* parent = nullptr);

    /// The field of a parameter of the selected stage, or nullptr.
    ValueField* field(const QString& parameter_id) const;
    /// Opens the popover that saves the settings of the selected stage as a preset.
    void keepRecipe();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void showEvent(QShowEvent* event) override;

  private:
    void show(bool rebuild);
    void updateAdvice();
    QString keyName(const std::string& key) const;
    void chooseKey();
    void openRecipes();

    AppModel& app_;
    StripModel& strip_;
    Words* title_;
    Words* purpose_;
    Words* advice_;
    FlatButton* apply_;
    Finding finding_;
    FlatButton *memory_, *key_;
    FlatButton *recipes_, *reset_;
    FlatButton* bypass_;
    QWidget* body_ = nullptr;
    StagePane* stage_body_ = nullptr;  // body_ while there is a stage; otherwise nullptr
    QString shown_stage_, shown_kind_;
    int ticks_ = 0;
    bool stale_ = false;  // a value changed while the editor was hidden
};

}  // namespace reed::ui
