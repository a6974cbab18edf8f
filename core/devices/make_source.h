// Creates audio sources.
#pragma once

#include <filesystem>
#include <memory>

#include "devices/pipewire_hub.h"

namespace reed {

/// Creates the source of a choice. Any thread; reads files, so it takes a moment. `demo_data`: folder with
/// the sounds of the simulated room. `hub`: connection for PipeWire sources. `wait`: waits for a missing
/// device instead of returning an error. `title`: of an app audio output.
Result<std::unique_ptr<SoundSource>> make_source(const DeviceChoice& choice,
                                                 const std::filesystem::path& demo_data, PipeWireHub& hub,
                                                 int channels, bool wait, const std::string& title = {});

}  // namespace reed
