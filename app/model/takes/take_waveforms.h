// Waveform overviews of takes.
#pragma once

#include <QObject>
#include <map>
#include <vector>

#include "model/shared/background.h"
#include "takes/take_report.h"

namespace reed::ui {

/// Peaks over time, read once per file, in the background. GUI thread only.
class TakeWaveforms final : public QObject {
    Q_OBJECT
  public:
    static constexpr size_t kColumns = 64;  ///< values per take

    /// Requests these takes next, in order, in place of earlier requests.
    void want(const std::vector<Take>& takes) {
        waiting_.clear();
        for (const Take& t : takes) {
            if (t.problem.empty() && !known_.contains(t.path)) waiting_.push_back(t.path);
        }
        next();
    }
    /// kColumns peaks, 0 to 1; empty until known.
    const std::vector<float>& of(const std::filesystem::path& path) const {
        static const std::vector<float> none;
        const auto found = known_.find(path);
        return found == known_.end() ? none : found->second;
    }

  signals:
    /// Another take is known.
    void changed();

  private:
    void next() {
        if (background_.busy() || waiting_.empty()) return;
        const auto path = waiting_.front();
        waiting_.erase(waiting_.begin());
        background_.run([path] { return waveform_peaks(path, kColumns); },
                        [this, path](std::vector<float> outline) {
                            known_[path] = std::move(outline);
                            emit changed();
                            next();
                        });
    }

    std::vector<std::filesystem::path> waiting_;
    std::map<std::filesystem::path, std::vector<float>> known_;
    Background background_;
};

}  // namespace reed::ui
