#include "devices/make_source.h"

#include "devices/file_device.h"
#include "devices/pipewire_connection.h"
#include "devices/simulated_room.h"

namespace reed {
namespace {

template <typename Source>
Result<std::unique_ptr<SoundSource>> as_source(Result<std::unique_ptr<Source>> made) {
    if (!made.ok()) return made.error();
    return std::unique_ptr<SoundSource>(std::move(made.value()));
}

}  // namespace

Result<std::unique_ptr<SoundSource>> make_source(const DeviceChoice& choice,
                                                 const std::filesystem::path& demo_data, PipeWireHub& hub,
                                                 int channels, bool wait, const std::string& title) {
    if (choice.kind == DeviceKind::sound_file) return as_source(FileDevice::create(choice.target));
    if (choice.kind == DeviceKind::simulated_room) return as_source(SimulatedRoom::create(demo_data));
    if (choice.kind == DeviceKind::programme) {
        if (!hub.graph().settle() && !wait) return no_pipewire();
        return hub.programme(choice.target, title);
    }
    // One of our own fed into itself would howl.
    if (choice.target.rfind(kOwnNodes, 0) == 0) {
        return Error{"is Dusky Reed's own output and would cause feedback.", choice.target,
                     "Choose a microphone."};
    }
    const bool there = hub.graph().settle();
    if (!wait) {
        if (!there) return no_pipewire();
        if (auto known = source_known(hub.graph(), choice.target, choice.channel); !known.ok())
            return known.error();
    }
    return hub.source(choice.target, channels, choice.channel);
}

}  // namespace reed
