// What the headphones have in common for all strips.
#pragma once

#include <QObject>
#include <algorithm>
#include <string>

namespace reed::ui {

/// One pair of headphones plays all strips. Each strip's MonitorController follows it.
class MonitorMix final : public QObject {
    Q_OBJECT
  public:
    /// Largest attenuation by balance(), in dB.
    static constexpr double kMaxBalanceDb = 30.0;
    /// In dB, within +-kMaxBalanceDb: positive values attenuate voices, negative ones app audio.
    double balance() const { return balance_; }
    void setBalance(double db) {
        balance_ = std::clamp(db, -kMaxBalanceDb, kMaxBalanceDb);
        emit balanceChanged();
        emit changed();
    }
    /// Whether the volumes of all strips are linked.
    bool linked() const { return linked_; }
    void setLinked(bool linked) {
        linked_ = linked;
        emit balanceChanged();
        emit changed();
    }
    /// PipeWire node of the output device; empty: the default.
    const std::string& sink() const { return sink_; }
    void setSink(const std::string& sink) {
        if (sink == sink_) return;
        sink_ = sink;
        emit sinkChanged();
        emit changed();
    }
    /// Id of the strip on solo; empty: none. Set by MixerModel::setSolo().
    const std::string& solo() const { return solo_; }
    void setSolo(const std::string& id) { solo_ = id; }
    /// The volume of `by` was changed by so many dB: those of the other strips follow if they are linked.
    void stepVolume(const QObject* by, double db) {
        if (linked_ && db != 0.0) emit volumeStepped(by, db);
    }
    /// Restores stored values.
    void restore(double balance_db, bool linked, const std::string& sink) {
        balance_ = std::clamp(balance_db, -kMaxBalanceDb, kMaxBalanceDb);
        linked_ = linked;
        sink_ = sink;
    }

  signals:
    /// balance() or linked() changed.
    void balanceChanged();
    void sinkChanged();
    /// All strips but `by` change their volume by `db`.
    void volumeStepped(const QObject* by, double db);
    /// Anything to store changed.
    void changed();

  private:
    double balance_ = 0.0;
    bool linked_ = false;
    std::string sink_, solo_;
};

}  // namespace reed::ui
