#include "remote/state_reporter.h"

#include <algorithm>
#include <utility>

#include "base/decibel.h"
#include "model/app_model.h"
#include "model/soundcheck/output_advisor.h"

namespace reed::ui {
namespace {

constexpr int kMeasure = 100;  // ms
constexpr auto kFrames = static_cast<std::ptrdiff_t>(kMeasure / (1000.0 * kTapFrameSeconds) + 0.5);

/// Peak and RMS of the last frames of a tap, in dBFS.
std::pair<double, double> levelOf(const LevelStatistics& statistics, size_t tap) {
    const auto& frames = statistics.frames(tap);
    const auto count = std::min(kFrames, std::ssize(frames));
    double peak = 0.0, sum = 0.0;
    for (auto f = frames.end() - count; f != frames.end(); ++f) {
        peak = std::max(peak, static_cast<double>(f->peak));
        sum += static_cast<double>(f->mean_square);
    }
    const auto floored = [](double db) { return std::max(db, StripLevelReading::kSilence); };
    return {floored(gain_to_db(peak)),
            floored(mean_square_to_dbfs(sum / static_cast<double>(std::max<std::ptrdiff_t>(count, 1))))};
}

}  // namespace

StateReporter::StateReporter(AppModel& app, QObject* parent)
    : QObject(parent), app_(app), told_scene_(scene()) {
    measure_.setInterval(kMeasure);
    connect(&measure_, &QTimer::timeout, this, &StateReporter::measure);
    connect(&app_.mute(), &MicrophoneMute::changed, this, [this] { emit mutedChanged(muted()); });
    connect(&app_.mixer(), &MixerModel::changed, this, [this] {
        if (scene() == told_scene_) return;
        told_scene_ = scene();
        emit sceneChanged(told_scene_);
    });
    connect(&app_.mixer(), &MixerModel::stripsChanged, this, &StateReporter::followAdvice);
    followAdvice();
}

bool StateReporter::muted() const {
    return app_.mute().on();
}

QString StateReporter::scene() const {
    return QString::fromStdString(app_.mixer().name());
}

QList<StripAdvice> StateReporter::advice() const {
    QList<StripAdvice> out;
    for (const StripModel* strip : app_.mixer().strips()) {
        const OutputAdvisor& advisor = app_.advisor(*strip);
        if (advisor.tone() != FindingTone::warning) continue;
        out.push_back({QString::fromStdString(strip->chainModel().spec().id),
                       advisor.details().isEmpty() ? advisor.words() : advisor.details()});
    }
    return out;
}

void StateReporter::followAdvice() {
    const auto tell = [this] {
        const auto now = advice();
        if (now == told_advice_) return;
        told_advice_ = now;
        emit adviceChanged(now);
    };
    for (const StripModel* strip : app_.mixer().strips()) {
        OutputAdvisor& advisor = app_.advisor(*strip);
        disconnect(&advisor, &OutputAdvisor::changed, this, nullptr);
        connect(&advisor, &OutputAdvisor::changed, this, tell);
    }
    tell();
}

void StateReporter::wantLevels(const QObject* who, bool wanted) {
    wanted ? (void)wanted_by_.insert(who) : (void)wanted_by_.erase(who);
    if (wanted_by_.empty())
        measure_.stop();
    else if (!measure_.isActive())
        measure_.start();
}

void StateReporter::measure() {
    QList<StripLevelReading> out;
    for (StripModel* strip : app_.mixer().strips()) {
        MeterReader& readings = strip->readings();
        readings.poll(false);  // a hidden window reads less often
        const LevelStatistics& statistics = readings.statistics();
        StripLevelReading levels{QString::fromStdString(strip->chainModel().spec().id)};
        std::tie(levels.input_peak, levels.input_rms) = levelOf(statistics, 0);
        std::tie(levels.output_peak, levels.output_rms) = levelOf(statistics, statistics.taps() - 1);
        out.push_back(levels);
    }
    const LoudnessReading& loudness = app_.outputLoudness();
    const auto lufs = [](const std::optional<double>& value) {
        return std::max(value.value_or(StripLevelReading::kSilence), StripLevelReading::kSilence);
    };
    emit levels(out, {lufs(loudness.momentary), lufs(loudness.short_term)});
}

}  // namespace reed::ui
