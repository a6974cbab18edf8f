// What other programs can follow: mute, scene, advice and levels.
#pragma once

#include <QList>
#include <QObject>
#include <QTimer>
#include <set>

class QDBusArgument;

namespace reed::ui {

class AppModel;

/// Levels of a strip over the last 100 ms, in dBFS, at least kSilence: before its chain, and after it,
/// without fader and mute. RMS by the level of a full-scale sine (0 dBFS), of the louder channel.
struct StripLevelReading {
    static constexpr double kSilence = -120.0;
    QString strip;  ///< id
    double input_peak = kSilence, input_rms = kSilence, output_peak = kSilence, output_rms = kSilence;
};

/// Advice that is shown for a strip.
struct StripAdvice {
    QString strip;  ///< id
    QString text;
    bool operator==(const StripAdvice&) const = default;
};

/// Loudness of the output in LUFS, at least StripLevelReading::kSilence.
struct OutputLoudness {
    double momentary = StripLevelReading::kSilence, short_term = StripLevelReading::kSilence;
};

/// Reports changes to D-Bus and Open Sound Control. GUI thread only.
class StateReporter final : public QObject {
    Q_OBJECT
  public:
    explicit StateReporter(AppModel& app, QObject* parent = nullptr);

    bool muted() const;
    QString scene() const;
    /// Problems that the window shows now, by strip.
    QList<StripAdvice> advice() const;

    /// levels() is emitted ten times a second while at least one wants it.
    void wantLevels(const QObject* who, bool wanted);

  signals:
    void mutedChanged(bool muted);
    void sceneChanged(const QString& name);
    void adviceChanged(const QList<reed::ui::StripAdvice>& advice);
    void levels(const QList<reed::ui::StripLevelReading>& strips, const reed::ui::OutputLoudness& output);

  private:
    void followAdvice();
    void measure();

    AppModel& app_;
    QString told_scene_;
    QList<StripAdvice> told_advice_;
    std::set<const QObject*> wanted_by_;
    QTimer measure_;
};

}  // namespace reed::ui
