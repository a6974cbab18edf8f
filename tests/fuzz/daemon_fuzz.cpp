// Any text another program puts into the daemon.
#include <cstdint>
#include <string>

#include "devices/pipewire_metadata.h"
#include "fuzz/expect.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    using namespace reed;
    const std::string text(reinterpret_cast<const char*>(data), size);
    expect(default_name(text.c_str()).size() <= text.size(), "a name is part of the text");
    expect(channel_names(text.c_str()).size() <= kMostDeviceChannels, "no more channels than devices have");
    const auto half = text.size() / 2;
    (void)looks_like_loudspeakers(text.substr(0, half), text.substr(half), text);
    (void)looks_like_loudspeakers("", text, text.substr(half));
    return 0;
}
