// Open Sound Control: the wishes of the user, and what has become of them.
#pragma once

#include <QObject>
#include <utility>

#include "scenes/working_state.h"

namespace reed::ui {

/// The settings are stored with the preferences; the rest is transient, and OscRemote reports it. GUI thread
/// only.
class OscLink final : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    const OscSettings& settings() const { return settings_; }
    void set(OscSettings settings) {
        if (settings == settings_) return;
        settings_ = std::move(settings);
        emit settingsChanged();
    }

    /// Why it does not listen although it should; empty if it does, or is off.
    const QString& problem() const { return problem_; }
    /// The last message that was refused, and why; empty if there was none since it listens.
    const QString& refused() const { return refused_; }
    void report(const QString& problem, const QString& refused) {
        if (problem == problem_ && refused == refused_) return;
        problem_ = problem;
        refused_ = refused;
        emit reported();
    }

  signals:
    void settingsChanged();
    void reported();

  private:
    OscSettings settings_;
    QString problem_, refused_;
};

}  // namespace reed::ui
