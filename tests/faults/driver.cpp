// What a person does with files, one thing after another, each told: FOLDER. Run under the shim.
#include <cstdio>
#include <new>

#include "base/file.h"
#include "scenes/library.h"
#include "scenes/scene_archive.h"
#include "scenes/working_state.h"

namespace {

using namespace reed;

template <typename Thing>
void tell(const char* name, const Thing& thing) {
    try {
        const auto done = thing();
        std::printf("%s: %s\n", name, done.ok() ? "done" : done.error().text().c_str());
    } catch (const std::bad_alloc&) {
        std::printf("%s: there is not enough memory for this.\n", name);
    }
    std::fflush(stdout);
}

void do_all(char** argv) {
    const std::filesystem::path folder = argv[1];
    const SceneLibrary library(folder / "scenes");
    Scene changed;
    changed.name = "Evening";
    changed.chain() = load_scene(argv[2]).scene.value_or(Scene{}).chain();
    tell("replace", [&] { return library.save(changed); });
    changed.name = "Night";
    tell("new", [&] { return library.save(changed); });
    tell("remove", [&] { return library.remove("Old"); });
    tell("order", [&] { return library.set_order({"Night", "Evening"}); });
    changed.name = "Sent";
    tell("take in", [&] { return library.take_in({changed}, ConflictPolicy::keep_both); });
    tell("pack", [&] { return write_scene_archive(folder / "all.zip", {changed}); });
    WorkingState state;
    state.scene = changed;
    state.theme = "dawn";
    tell("state", [&] { return save_working_state(folder / "session.json", state); });
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 3) return 2;
    try {
        do_all(argv);
    } catch (const std::bad_alloc&) {
        return 2;  // before the first thing
    }
    return 0;
}
