// Levels of all microphones, and problems of the one in use.
#pragma once

#include <QObject>
#include <QSet>
#include <map>
#include <memory>
#include <optional>
#include <string>

#include "devices/microphone_scanner.h"
#include "engine/meter_reader.h"

namespace reed::ui {

class AudioSystem;
class InputController;

/// Opens all microphones while one is being chosen, and while the one in use gives digital silence. GUI
/// thread only.
class Microphones final : public QObject {
    Q_OBJECT
  public:
    /// `readings`: of the strip whose input is `input`.
    Microphones(AudioSystem& audio, InputController& input, MeterReader& readings);
    ~Microphones() override;

    /// Updates the levels. Call about 15 times a second; `visible`: whether the strip is on the screen.
    void poll(bool visible);

    struct Now {
        double level = -200.0;  ///< dBFS, peak, falling by 25 dB a second
        bool silent = false;    ///< only digital silence since it was opened, for 0.5 s at least
    };
    /// Opens all microphones during the lifetime of `who`.
    void listenFor(QObject* who);
    bool listening() const { return ears_ != nullptr; }
    /// State of a microphone by node name; empty if it is not open or has delivered nothing yet.
    std::optional<Now> now(const std::string& name) const;
    /// Problem of the microphone in use, with another one that has a signal; empty if there is none.
    QString trouble() const;
    /// Effect of the system volume on it where that is no problem; empty if it has none.
    QString note() const;
    /// Short status of a microphone for the input menu: level, silence, system volume.
    QString words(const PipeWireNode& microphone) const;

  signals:
    /// Levels changed; only while microphones are open.
    void heard();

  private:
    const PipeWireNode* inUse() const;
    bool silent() const;
    QString another() const;

    AudioSystem& audio_;
    InputController& input_;
    MeterReader& readings_;
    QSet<QObject*> listeners_;
    std::unique_ptr<MicrophoneScanner> ears_;
    std::map<std::string, Now> now_;
    bool visible_ = true;
};

}  // namespace reed::ui
