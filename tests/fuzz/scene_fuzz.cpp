// Any bytes as a scene: refused with a reason, or read, written and read again as the same.
#include <cstdint>
#include <string_view>

#include "fuzz/expect.h"
#include "scenes/scene.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    using namespace reed;
    const SceneReading first = read_scene({reinterpret_cast<const char*>(data), size});
    expect(first.scene.has_value() == first.problems.empty(), "a scene, or problems");
    for (const Error& e : first.problems) expect(!e.what.empty(), "a problem says what");
    if (!first.scene) return 0;
    const std::string written = write_scene(*first.scene);
    const SceneReading again = read_scene(written);
    expect(again.scene.has_value(), "what is written can be read");
    expect(write_scene(*again.scene) == written, "and is the same");
    return 0;
}
