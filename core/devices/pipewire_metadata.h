// Parsers of PipeWire metadata, which any process can set.
#pragma once

#include <string>
#include <vector>

namespace reed {

/// Node name in the value of a default device, {"name": "..."} as the session manager writes it; empty if it
/// has another form. Never throws.
std::string default_name(const char* value) noexcept;

/// Channel positions ("FL", "AUX3") from the property audio.position: names separated by commas or spaces,
/// optionally in brackets. Empty if it has another form or more than kMostDeviceChannels. Never throws.
inline constexpr size_t kMostDeviceChannels = 64;
std::vector<std::string> channel_names(const char* position) noexcept;

/// Whether the properties of a sink suggest loudspeakers: by form factor, otherwise by words in its names.
/// Unknown sinks count as headphones. Common practice, no source.
bool looks_like_loudspeakers(const std::string& form_factor, const std::string& name,
                             const std::string& title);

}  // namespace reed
