#include "soundcheck/dynamics_fit.h"

#include <algorithm>
#include <cmath>

#include "base/decibel.h"
#include "base/quantile.h"
#include "measure/sibilance.h"

namespace reed {
namespace {

constexpr double kGateMargin = 6.0;  // dB from noise to the closing, and from quiet speech to the opening

double threshold(double db) {
    return std::clamp(half_decibels(db), -80.0, 0.0);
}

}  // namespace

std::vector<StageSpec> gate_candidates(const ChainSpec& chain, double under, double quiet, double range) {
    std::vector<StageSpec> out;
    const double margin = quiet - under;
    if (margin >= kGateNeeds) {
        StageSpec s = new_stage(chain, *find_stage_kind("gate"));
        const double close = threshold(std::min(under + kGateMargin, quiet - kGateMargin - 2.0));
        s.set("close_threshold", std::min(close, -2.0));
        s.set("open_threshold", threshold(std::min(close + 6.0, quiet - kGateMargin)));
        s.set("range", -range);
        s.set("lookahead", 5.0);
        out.push_back(s);
        s.set("hold", 300.0);
        s.set("release", 300.0);
        s.set("close_threshold", std::min(threshold(under + 4.0), -2.0));
        s.set("open_threshold", threshold(under + 7.0));
        s.set("range", -std::min(range, 12.0));
        out.push_back(s);
    }
    StageSpec e = new_stage(chain, *find_stage_kind("expander"));
    e.set("threshold", threshold(under + 0.5 * margin));
    e.set("ratio", 2.0);
    e.set("range", -std::min(range, 12.0));
    e.set("release", 250.0);
    out.push_back(e);
    e.set("threshold", threshold(under + 0.3 * margin));
    e.set("range", -std::min(range, 8.0));
    out.push_back(e);
    return out;
}

double reach_reduction(StageSpec& compressor, const AudioBuffer& talk, double sample_rate,
                       const std::vector<FrameClass>& classes, double by) {
    const auto reduction_at = [&](double db) -> double {
        compressor.set("threshold", db);
        const auto done = run_chain({{compressor}}, talk, sample_rate);
        if (!done.ok()) return 0.0;
        const std::vector<float>& reduction = done.value().reduction[0];
        std::vector<double> values;
        for (size_t i = 0; i < std::min(classes.size(), reduction.size()); ++i) {
            if (classes[i] == FrameClass::voice) values.push_back(static_cast<double>(reduction[i]));
        }
        return values.empty() ? 0.0 : quantile(values, 0.5);
    };
    double low = -60.0;
    double high = 0.0;
    for (int round = 0; round < 8; ++round) {
        const double middle = 0.5 * (low + high);
        (reduction_at(middle) > by ? low : high) = middle;
    }
    return reduction_at(half_decibels(0.5 * (low + high)));
}

double lower_sibilance(StageSpec& deesser, const AudioBuffer& talk, double sample_rate, double by) {
    const double before = sibilance(mono_of(talk), sample_rate).value_or(kSilenceDb);
    const auto lower_at = [&](double db) {
        deesser.set("threshold", db);
        const auto done = run_chain({{deesser}}, talk, sample_rate);
        if (!done.ok()) return 0.0;
        return before - sibilance(mono_of(done.value().out), sample_rate).value_or(before);
    };
    double low = -40.0;
    double high = 10.0;
    for (int round = 0; round < 6; ++round) {
        const double middle = 0.5 * (low + high);
        (lower_at(middle) > by ? low : high) = middle;
    }
    return lower_at(half_decibels(high));
}

}  // namespace reed
