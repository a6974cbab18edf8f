// Text that comes from the daemon, where any program may have put it.
#pragma once

#include <string>
#include <vector>

namespace reed {

/// The node's name in the value of a default device, {"name": "..."} as the session manager writes it; empty
/// when it is anything else. Never throws.
std::string default_name(const char* value) noexcept;

/// The positions of a node's channels in their order ("FL", "AUX3"), from its property audio.position as the
/// daemon writes it: names between commas or spaces, perhaps in brackets. Empty when it is anything else, or
/// more than kMostDeviceChannels. Never throws.
inline constexpr size_t kMostDeviceChannels = 64;
std::vector<std::string> channel_names(const char* position) noexcept;

/// True when a sink's properties look like loudspeakers: by its form factor, else by words in its names; what
/// can't be told counts as headphones. Common practice, no source.
bool looks_like_loudspeakers(const std::string& form_factor, const std::string& name,
                             const std::string& title);

}  // namespace reed
