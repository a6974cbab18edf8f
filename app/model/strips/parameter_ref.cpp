#include "model/strips/parameter_ref.h"

#include <algorithm>
#include <cmath>

#include "mixer/strip_parameters.h"
#include "model/strips/mixer_model.h"

namespace reed::ui {

QString ParameterRef::address() const {
    if (strip_ == nullptr) return {};
    return QString::fromStdString(strip_->chainModel().spec().id + '/' + owner_ + '/' + parameter_);
}

ParameterRef ParameterRef::at(const MixerModel& mixer, const QString& address) {
    const QStringList parts = address.split('/');
    StripModel* strip = parts.size() == 3 ? mixer.find(parts[0].toStdString()) : nullptr;
    return strip == nullptr ? ParameterRef()
                            : ParameterRef(*strip, parts[1].toStdString(), parts[2].toStdString());
}

std::vector<ParameterRef> ParameterRef::all(StripModel& strip) {
    std::vector<ParameterRef> out;
    const auto add = [&](const std::string& owner, std::span<const Parameter> table) {
        for (const Parameter& p : table) out.emplace_back(strip, owner, std::string(p.id));
    };
    add(kStrip, strip_parameters());
    add(kHeadphones, monitor_parameters());
    for (const StageSpec& s : strip.chainModel().chain().stages) add(s.id, s.stage_kind().parameters);
    return out;
}

std::span<const Parameter> ParameterRef::table() const {
    if (strip_ == nullptr) return {};
    if (owner_ == kStrip) return strip_parameters();
    if (owner_ == kHeadphones) return monitor_parameters();
    const StageSpec* stage = strip_->chainModel().stage(owner_);
    return stage == nullptr ? std::span<const Parameter>() : stage->stage_kind().parameters;
}

int ParameterRef::row() const {
    const auto rows = table();
    const auto found = std::ranges::find(rows, parameter_, &Parameter::id);
    return found == rows.end() ? -1 : static_cast<int>(found - rows.begin());
}

const Parameter* ParameterRef::info() const {
    const int i = row();
    return i < 0 ? nullptr : &table()[static_cast<size_t>(i)];
}

std::optional<double> ParameterRef::value() const {
    const int i = row();
    if (i < 0) return std::nullopt;
    const ChainModel& chain = strip_->chainModel();
    if (owner_ == kStrip) return strip_value(chain.spec(), static_cast<size_t>(i));
    if (owner_ == kHeadphones) return monitor_value(strip_->monitoring().settings(), i);
    return chain.stage(owner_)->values.at(static_cast<size_t>(i));
}

std::optional<double> ParameterRef::position() const {
    const auto now = value();
    return now ? std::optional(value_to_position(*info(), *now)) : std::nullopt;
}

QString ParameterRef::text() const {
    const auto now = value();
    return now ? QString::fromStdString(format_value(*info(), *now)) : QString();
}

bool ParameterRef::set(double value) const {
    const int i = row();
    if (i < 0) return false;
    if (const auto problem = value_problem(*info(), value)) {
        strip_->notices().warn(QString::fromStdString(*problem));
        return false;
    }
    ChainModel& chain = strip_->chainModel();
    if (owner_ == kHeadphones) {
        MonitorSettings next = strip_->monitoring().settings();
        set_monitor_value(next, i, value);
        strip_->monitoring().set(next);
        return true;
    }
    if (owner_ != kStrip) return chain.setValue(owner_, static_cast<size_t>(i), value);
    i == kStripFader ? chain.setFader(value) : chain.setStripMute(value >= 0.5);
    return true;
}

bool ParameterRef::setPosition(double position) const {
    return isValid() && set(position_to_value(*info(), position));
}

bool ParameterRef::step(double steps, bool fine) const {
    const auto now = value();
    return now && set(step_value(*info(), *now, steps, fine));
}

void ParameterRef::endEdit() const {
    if (strip_ != nullptr) strip_->chainModel().closeStep();
}

}  // namespace reed::ui
