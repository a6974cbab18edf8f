// Sources by choice.
#pragma once

#include <filesystem>
#include <memory>

#include "devices/pipewire_hub.h"

namespace reed {

/// Makes the source of a choice, on any thread; with files and the simulated room that takes a moment.
/// `demo_data`: folder of the simulated room's sounds. `hub`: for PipeWire, which must be there. `wait`: what
/// is not there is waited for, else it is refused. `title`: of a programme's output.
Result<std::unique_ptr<SoundSource>> make_source(const DeviceChoice& choice,
                                                 const std::filesystem::path& demo_data, PipeWireHub& hub,
                                                 int channels, bool wait, const std::string& title = {});

}  // namespace reed
