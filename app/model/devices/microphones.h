// Which microphone hears something, and what the system's settings do to the one in use.
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

/// All microphones are opened while somebody chooses one, and while the one in use gives digital silence.
class Microphones final : public QObject {
    Q_OBJECT
  public:
    /// `readings`: of the strip whose input is `input`.
    Microphones(AudioSystem& audio, InputController& input, MeterReader& readings);
    ~Microphones() override;

    /// Updates the levels. Call about 15 times a second; `visible`: somebody sees the strip.
    void poll(bool visible);

    struct Now {
        double level = -200.0;  ///< dBFS, peak, falling by 25 dB a second
        bool silent = false;  ///< nothing but digital silence since it was opened, for half a second at least
    };
    /// Listens to all of them until `who` is no more.
    void listenFor(QObject* who);
    bool listening() const { return ears_ != nullptr; }
    /// By node name; empty while nobody listens or nothing has come in.
    std::optional<Now> now(const std::string& name) const;
    /// What is wrong with the microphone in use, and which other one hears something; empty: nothing.
    QString trouble() const;
    /// What the system's settings do to it, where that is neither right nor wrong; empty: nothing.
    QString note() const;
    /// Its state in a few words for the chooser: level, silence, what the system does to it.
    QString words(const PipeWireNode& microphone) const;

  signals:
    /// Levels have moved; only while it listens.
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
