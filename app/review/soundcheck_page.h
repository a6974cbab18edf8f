// The soundcheck over the whole window: steps on the left, the step or the results beside them.
#pragma once

#include <QWidget>
#include <array>
#include <optional>
#include <tuple>
#include <vector>

#include "model/soundcheck/soundcheck_model.h"

class QStackedWidget;
class QVBoxLayout;

namespace reed::ui {

class AppModel;
class FlatButton;
class SoundcheckResults;
class StepLevels;
class Words;

/// Enter presses the main button, Escape closes; everything else is reached by Tab.
class SoundcheckPage final : public QWidget {
    Q_OBJECT
  public:
    explicit SoundcheckPage(AppModel& app, QWidget* parent);

    /// Opens the soundcheck of the selected strip. `choose_input`: with the choice of the microphone first.
    void open(bool choose_input);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    FlatButton* button(const char* name, const QString& text);
    QWidget* inputPage();
    QWidget* stepPage();
    QWidget* workPage();
    void chooseRecording();
    void showInputs();
    void showState();
    void showStep();
    void showMoved();
    /// The main button of the current view.
    FlatButton* primary() const;

    AppModel& app_;
    SoundcheckModel& model_;
    bool choosing_ = false;        // the microphone
    QObject* watching_ = nullptr;  // context of connections while an input is being chosen
    Words* title_;
    std::array<FlatButton*, kSoundcheckSteps> steps_{};
    FlatButton* results_button_;
    FlatButton* close_;
    QStackedWidget* pages_;
    // The microphone.
    QVBoxLayout* inputs_ = nullptr;
    std::vector<std::pair<FlatButton*, std::string>> microphones_;
    FlatButton* begin_ = nullptr;
    Words* input_note_ = nullptr;
    // A step.
    Words *step_title_ = nullptr, *instruction_ = nullptr, *text_ = nullptr, *problem_ = nullptr,
          *time_ = nullptr;
    StepLevels* levels_ = nullptr;
    Words* earlier_ = nullptr;
    FlatButton *record_ = nullptr, *skip_ = nullptr, *file_ = nullptr, *use_earlier_ = nullptr,
               *finish_ = nullptr;
    // Work and results.
    Words* working_ = nullptr;
    FlatButton* cancel_ = nullptr;
    SoundcheckResults* results_ = nullptr;
    /// View that was shown last: choice of the input, phase, step and its state.
    std::optional<std::tuple<bool, SoundcheckModel::Phase, SoundcheckStep, SoundcheckModel::StepState>>
        shown_;
};

}  // namespace reed::ui
