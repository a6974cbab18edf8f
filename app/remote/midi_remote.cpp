#include "remote/midi_remote.h"

#include <QSocketNotifier>
#include <algorithm>
#include <cmath>

#include "actions/actions.h"
#include "model/takes/takes_model.h"

namespace reed::ui {
namespace {

constexpr int kTend = 500, kEditEnds = 800, kShowAfter = 20, kSetEvery = 33;  // ms

bool isPosition(const MidiControl& c, MidiCoding coding) {
    return c.has_position() && coding == MidiCoding::absolute;
}

/// Whether a control may set a value that is at `current`. A switch has nothing between that could jump.
bool takesOver(SoftTakeover& takeover, const ParameterRef& value, double position, double current) {
    return takeover.moved(position, current) || value.info()->kind == ValueKind::toggle;
}

/// The messages that put a control to a value: two for a 14-bit controller.
std::vector<MidiMessage> messagesFor(const MidiControl& c, int value) {
    const auto message = [&](MidiMessage::Kind kind, int number, int v) {
        return MidiMessage{kind, c.channel, static_cast<std::uint8_t>(number), static_cast<std::uint16_t>(v)};
    };
    using Kind = MidiMessage::Kind;
    switch (c.kind) {
        case MidiControl::Kind::note:
            return {message(Kind::note_on, c.number, value)};
        case MidiControl::Kind::controller:
            return {message(Kind::controller, c.number, value)};
        case MidiControl::Kind::controller_14_bit:
            return {message(Kind::controller, c.number, value >> 7),
                    message(Kind::controller, c.number + 32, value & 0x7f)};
        case MidiControl::Kind::pitch_bend:
            return {message(Kind::pitch_bend, 0, value)};
        case MidiControl::Kind::program:
            break;
    }
    return {};
}

}  // namespace

MidiRemote::MidiRemote(Actions& actions, QObject* parent)
    : QObject(parent), actions_(actions), assignments_(actions.app().context().midi), delivery_(actions) {
    notifier_ = std::make_unique<QSocketNotifier>(ports_.descriptor(), QSocketNotifier::Read);
    connect(notifier_.get(), &QSocketNotifier::activated, this, &MidiRemote::receive);
    tend_.setInterval(kTend);
    connect(&tend_, &QTimer::timeout, this, [this] {
        ports_.tend();
        tellDevices();
    });
    end_edit_.setSingleShot(true);
    end_edit_.setInterval(kEditEnds);
    connect(&end_edit_, &QTimer::timeout, this, [this] {
        for (const ParameterRef& value : edited_) value.endEdit();
        edited_.clear();
    });
    set_later_.setSingleShot(true);
    set_later_.setInterval(kSetEvery);
    connect(&set_later_, &QTimer::timeout, this, [this] {
        if (!waiting_.empty()) setValues();
    });
    send_later_.setSingleShot(true);
    send_later_.setInterval(kShowAfter);
    connect(&send_later_, &QTimer::timeout, this, &MidiRemote::sendStates);

    connect(&assignments_, &MidiAssignments::changed, this, &MidiRemote::follow);
    connect(&assignments_, &MidiAssignments::learningChanged, this, &MidiRemote::follow);
    const auto later = [this] {
        if (!connected_.isEmpty() && !send_later_.isActive()) send_later_.start();
    };
    AppModel& app = actions_.app();
    connect(&app.mute(), &MicrophoneMute::changed, this, later);
    for (const auto signal :
         {&MixerModel::changed, &MixerModel::settingsChanged, &MixerModel::characterChanged,
          &MixerModel::focusChanged, &MixerModel::stripsChanged})
        connect(&app.mixer(), signal, this, later);
    connect(&app.takes(), &TakesModel::loopChanged, this, later);
    connect(&app.takes(), &TakesModel::recordingChanged, this, later);
}

MidiRemote::~MidiRemote() = default;

void MidiRemote::start() {
    assignments_.read();
    follow();
}

/// Listens to those that are needed, and to all while learning.
void MidiRemote::follow() {
    learners_.clear();
    std::set<std::string> names;
    for (const auto& a : assignments_.all()) names.insert(a.device.toStdString());
    const bool learns = assignments_.learning().has_value();
    // The release of what is unassigned, or moved while learning, has no effect any more.
    for (auto& [device, held] : held_) {
        std::erase_if(held, [&, &of = device](const QString& slot) {
            const auto all = assignments_.of({slot, {}});
            const bool stays =
                !learns && std::ranges::any_of(all, [&](const auto& a) { return a.device == of; });
            if (!stays) delivery_.ownerLost(slot);
            return !stays;
        });
    }
    ports_.want(learns, names);
    const bool listens = learns || !names.empty();
    if (listens && !tend_.isActive()) tend_.start();
    if (!listens) tend_.stop();
    tellDevices();
    send_later_.start();
}

void MidiRemote::tellDevices() {
    QStringList present, connected;
    for (const std::string& name : ports_.devices()) present << QString::fromStdString(name);
    for (const std::string& name : ports_.connected()) connected << QString::fromStdString(name);
    for (const QString& gone : std::as_const(connected_)) {
        if (connected.contains(gone)) continue;
        // Its releases will not come, and it may come back with its knobs elsewhere.
        if (const auto held = held_.extract(gone)) {
            for (const QString& slot : held.mapped()) delivery_.ownerLost(slot);
        }
        decoders_.erase(gone);
        std::erase_if(moved_, [&](const auto& entry) { return entry.first.first == gone; });
    }
    if (connected != connected_) send_later_.start();
    connected_ = connected;
    assignments_.setDevices(present, ports_.available());
}

void MidiRemote::receive() {
    ports_.acknowledge();
    if (std::exchange(version_, ports_.version()) != ports_.version()) tellDevices();
    MidiEvent event;
    while (ports_.next(event)) {
        if (assignments_.learning()) {
            learn(event);
            continue;
        }
        const QString device = QString::fromStdString(event.device);
        for (const MidiMove& move : decoders_[device].read(event.message)) {
            const auto to = assignments_.at(device, move.control);
            if (!to) continue;
            const Key key{device, move.control};
            moved_[key].shown = move.value;
            to->value.empty() ? moveAction(key, *to, move) : moveValue(key, *to, move);
        }
    }
    if (!waiting_.empty() && !set_later_.isActive()) setValues();
}

void MidiRemote::moveAction(const Key& key, const MidiAssignment& to, const MidiMove& move) {
    const bool was = std::exchange(moved_[key].down, move.down);
    const auto kind = move.control.kind;
    // A controller that moves on in its upper half; each note and program is a press, though.
    const bool continuous = kind != MidiControl::Kind::note && kind != MidiControl::Kind::program;
    if (move.down && was && continuous) return;
    const QString slot = QString::fromStdString(to.action);
    auto& held = held_[key.first];
    if (!move.down && held.erase(slot) == 0) return;
    if (move.down) held.insert(slot);
    delivery_.deliver(slot, move.down);
    if (kind != MidiControl::Kind::program) return;
    held.erase(slot);  // a program has no release
    delivery_.deliver(slot, false);
}

void MidiRemote::moveValue(const Key& key, const MidiAssignment& to, const MidiMove& move) {
    Moved& state = moved_[key];
    if (to.coding != MidiCoding::absolute) {
        state.steps += relative_steps(to.coding, move.value);
    } else if (!state.position) {
        // Until it meets the value every position counts; later the last one does.
        const ParameterRef value = valueOf(QString::fromStdString(to.value));
        const auto current = value.position();
        if (!current || !takesOver(state.takeover, value, move.position, *current)) return;
    }
    if (to.coding == MidiCoding::absolute) state.position = move.position;
    waiting_.insert(key);
}

void MidiRemote::setValues() {
    for (const Key& key : std::exchange(waiting_, {})) {
        const auto to = assignments_.at(key.first, key.second);
        if (to && !to->value.empty()) setValue(moved_[key], *to);
    }
    set_later_.start();
}

void MidiRemote::learn(const MidiEvent& event) {
    const QString device = QString::fromStdString(event.device);
    const auto learner = learners_.try_emplace(device, assignments_.learning()->isValue()).first;
    if (const auto learned = learner->second.push(event.message))
        assignments_.learned(device, learned->control, learned->coding);
}

ParameterRef MidiRemote::valueOf(const QString& address) const {
    const MixerModel& mixer = actions_.app().mixer();
    if (!address.startsWith("*/")) return ParameterRef::at(mixer, address);
    return ParameterRef::at(mixer,
                            QString::fromStdString(mixer.current().chainModel().spec().id) + address.mid(1));
}

void MidiRemote::setValue(Moved& state, const MidiAssignment& to) {
    const auto position = std::exchange(state.position, std::nullopt);
    const int steps = std::exchange(state.steps, 0);
    const ParameterRef value = valueOf(QString::fromStdString(to.value));
    const auto current = value.position();
    if (!current) return;  // its strip or stage isn't there now
    if (position) {
        if (!takesOver(state.takeover, value, *position, *current) || !value.setPosition(*position)) return;
        state.takeover.set_to(value.position().value_or(*position));
    } else if (steps == 0 || !value.step(steps, false)) {
        return;
    }
    if (std::ranges::none_of(edited_, [&](const ParameterRef& e) { return e.address() == value.address(); }))
        edited_.push_back(value);
    end_edit_.start();
}

std::optional<int> MidiRemote::stateOf(const MidiAssignment& of) const {
    if (of.value.empty()) {
        const auto on = actions_.stateOf(QString::fromStdString(of.action));
        return on ? std::optional(*on ? 127 : 0) : std::nullopt;
    }
    if (!isPosition(of.control, of.coding)) return std::nullopt;
    const auto position = valueOf(QString::fromStdString(of.value)).position();
    if (!position) return std::nullopt;
    return static_cast<int>(
        std::lround(*position * (of.control.kind == MidiControl::Kind::controller ? 127 : 16383)));
}

/// Sends what the devices don't show yet. What a device has sent is not sent back.
void MidiRemote::sendStates() {
    for (const auto& [device, what] : assignments_.all()) {
        if (!connected_.contains(device)) continue;
        const auto value = stateOf(what);
        if (!value) continue;
        Moved& state = moved_[{device, what.control}];
        if (state.shown == *value) continue;
        bool sent = true;
        for (const MidiMessage& m : messagesFor(what.control, *value))
            sent = ports_.send(device.toStdString(), m) && sent;
        if (sent) state.shown = *value;
    }
}

}  // namespace reed::ui
