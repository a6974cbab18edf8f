// Log of the advice since the start of the program.
#pragma once

#include <QDateTime>
#include <QObject>
#include <deque>
#include <string>

namespace reed::ui {

/// One entry each time that advice is shown. The oldest entries above kMost are dropped. GUI thread only.
class AdviceLog final : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    struct Entry {
        std::string id;
        QString strip, text;
        QDateTime from, to;    ///< `to` is invalid while it is shown
        bool applied = false;  ///< ended by its button
    };
    static constexpr size_t kMost = 200;

    /// Oldest first.
    const std::deque<Entry>& entries() const { return entries_; }
    /// Advice `id` is shown for `strip`. The same again within kAgain seconds continues its entry.
    void begin(const std::string& id, const QString& strip, const QString& text) {
        const QDateTime now = QDateTime::currentDateTime();
        for (auto e = entries_.rbegin(); e != entries_.rend(); ++e) {
            if (e->id != id || e->strip != strip) continue;
            if (!e->to.isValid() || (!e->applied && e->to.secsTo(now) < kAgain)) {
                e->to = {};
                return;
            }
            break;
        }
        entries_.push_back({id, strip, text, now, {}, false});
        if (entries_.size() > kMost) entries_.pop_front();
        emit changed();
    }
    /// Advice `id` is no longer shown for `strip`; `applied`: its button was pressed.
    void end(const std::string& id, const QString& strip, bool applied) {
        for (auto e = entries_.rbegin(); e != entries_.rend(); ++e) {
            if (e->id != id || e->strip != strip || e->to.isValid()) continue;
            e->to = QDateTime::currentDateTime();
            e->applied = applied;
            emit changed();
            return;
        }
    }
    static constexpr int kAgain = 60;  ///< s

  signals:
    /// An entry was added or ended.
    void changed();

  private:
    std::deque<Entry> entries_;
};

}  // namespace reed::ui
