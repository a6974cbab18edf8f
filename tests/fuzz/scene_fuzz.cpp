// Any bytes as a scene: refused with a reason, or read, written and read again as the same.
#include <cstdint>
#include <exception>
#include <string>
#include <string_view>

#include "fuzz/expect.h"
#include "scenes/scene.h"
#include "scenes/strict_json.h"

namespace {

/// What a reader says of a text.
template <typename Parse>
std::string told(const Parse& parse, std::string_view text) {
    try {
        return parse(text, 10).dump();
    } catch (const reed::RefusedJson& refused) {
        return refused.what;
    } catch (const std::exception& e) {
        return e.what();
    }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    using namespace reed;
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    expect(told(parse_strict, text) == told(parse_with_position, text), "both readers say the same");
    const SceneReading first = read_scene(text);
    expect(first.scene.has_value() == first.problems.empty(), "a scene, or problems");
    for (const Error& e : first.problems) expect(!e.what.empty(), "a problem says what");
    if (!first.scene) return 0;
    const std::string written = write_scene(*first.scene);
    const SceneReading again = read_scene(written);
    expect(again.scene.has_value(), "what is written can be read");
    expect(write_scene(*again.scene) == written, "and is the same");
    return 0;
}
