// Any bytes as a sound file: refused with a reason, or read with as many finite samples as it says.
#include <sys/mman.h>
#include <unistd.h>

#include <cstdint>
#include <string>

#include "base/sound_file.h"
#include "fuzz/expect.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    using namespace reed;
    const int memory = memfd_create("sound", 0);
    expect(memory >= 0 && write(memory, data, size) == static_cast<ssize_t>(size), "memory for the file");
    SoundInfo info;
    const auto sound = read_sound("/dev/fd/" + std::to_string(memory), &info, 1 << 20);
    close(memory);
    if (!sound.ok()) {
        expect(!sound.error().what.empty(), "a refusal says why");
        return 0;
    }
    expect(sound.value().channels() == info.channels && info.channels >= 1, "its channels");
    expect(sound.value().frames() <= (1 << 20), "no more than asked for");
    return 0;
}
