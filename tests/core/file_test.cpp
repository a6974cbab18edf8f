// Files: all or nothing, whatever stands in the way.
#include <sys/stat.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <filesystem>

#include "base/case_folding.h"
#include "base/file.h"
#include "base/sound_file.h"
#include "scenes/library.h"
#include "scenes/working_state.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
namespace fs = std::filesystem;

namespace {

size_t entries(const std::string& folder) {
    return static_cast<size_t>(std::distance(fs::directory_iterator(folder), fs::directory_iterator()));
}

int mode(const std::string& path) {
    struct stat about {};
    REQUIRE(::stat(path.c_str(), &about) == 0);
    return static_cast<int>(about.st_mode & 07777);
}

}  // namespace

TEST_CASE("a file is written whole or not at all, and leaves nothing beside it", "[files]") {
    const TemporaryFolder folder;
    const std::string path = folder.path("a/b/x.json");
    REQUIRE(write_file(path, "first").ok());
    CHECK(read_file(path, 100).value() == "first");
    CHECK(entries(folder.path("a/b")) == 1);
    {
        auto half = AtomicFileWriter::begin(path);
        REQUIRE(half.ok());
        REQUIRE(half.value().write("seco").ok());
        CHECK(entries(folder.path("a/b")) == 2);
    }
    CHECK(read_file(path, 100).value() == "first");
    CHECK(entries(folder.path("a/b")) == 1);
    CHECK_FALSE(write_file(folder.path("a"), "a folder").ok());
    CHECK_FALSE(write_file(path + "/under/a/file", "x").ok());
}

TEST_CASE("a link stays a link, and what it points to is replaced", "[files]") {
    const TemporaryFolder folder;
    REQUIRE(write_file(folder.path("real/scene.json"), "old").ok());
    fs::create_symlink("real/scene.json", folder.path("link.json"));
    fs::create_symlink("link.json", folder.path("second.json"));
    REQUIRE(write_file(folder.path("second.json"), "new").ok());
    CHECK(fs::is_symlink(folder.path("link.json")));
    CHECK(fs::is_symlink(folder.path("second.json")));
    CHECK(read_file(folder.path("real/scene.json"), 100).value() == "new");
    // One that leads nowhere yet, and one that leads in a circle.
    fs::create_symlink("real/later.json", folder.path("later.json"));
    REQUIRE(write_file(folder.path("later.json"), "made").ok());
    CHECK(fs::is_symlink(folder.path("later.json")));
    CHECK(read_file(folder.path("real/later.json"), 100).value() == "made");
    fs::create_symlink("round.json", folder.path("round.json"));
    CHECK_FALSE(write_file(folder.path("round.json"), "x").ok());
    CHECK_FALSE(read_file(folder.path("round.json"), 100).ok());
    // A recording as well.
    write_wav(folder.path("real/take.wav"), mono(silence(0.01)));
    fs::create_symlink("real/take.wav", folder.path("take.wav"));
    auto writer = SoundWriter::create(folder.path("take.wav"), {48000, 1}, SampleFormat::float32);
    REQUIRE(writer.ok());
    AudioBuffer loud = mono(sine(400, 0.5, 0.1));
    REQUIRE(writer.value()->write(loud.block(0, 4800)).ok());
    REQUIRE(writer.value()->finish().ok());
    CHECK(fs::is_symlink(folder.path("take.wav")));
    CHECK(read_sound(folder.path("real/take.wav")).value().frames() == 4800);
}

TEST_CASE("others never get to write what is saved, whatever the umask", "[files]") {
    const TemporaryFolder folder;
    const auto before = ::umask(0);
    const bool written = write_file(folder.path("open.json"), "x").ok();
    ::umask(077);
    const bool again = write_file(folder.path("closed.json"), "x").ok();
    ::umask(before);
    REQUIRE(written);
    REQUIRE(again);
    CHECK(mode(folder.path("open.json")) == 0644);
    CHECK(mode(folder.path("closed.json")) == 0600);
    // What is replaced keeps its mode, but for others' writing.
    REQUIRE(::chmod(folder.path("closed.json").c_str(), 0640) == 0);
    REQUIRE(write_file(folder.path("closed.json"), "y").ok());
    CHECK(mode(folder.path("closed.json")) == 0640);
    REQUIRE(::chmod(folder.path("closed.json").c_str(), 0666) == 0);
    REQUIRE(write_file(folder.path("closed.json"), "z").ok());
    CHECK(mode(folder.path("closed.json")) == 0644);
}

TEST_CASE("what is no file is neither read nor replaced, and never waited for", "[files]") {
    const TemporaryFolder folder;
    const std::string pipe = folder.path("pipe.json");
    REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
    CHECK_THAT(read_file(pipe, 100).error().text(), Catch::Contains("isn't a regular file"));
    CHECK_THAT(write_file(pipe, "x").error().text(), Catch::Contains("isn't a file"));
    CHECK_FALSE(SoundWriter::create("/dev/null/x.wav", {48000, 1}, SampleFormat::pcm24).ok());
    CHECK(fs::is_fifo(pipe));
    CHECK_THAT(read_file(folder.folder(), 100).error().text(), Catch::Contains("isn't a regular file"));
    CHECK_THAT(read_file(folder.path("none"), 100).error().text(), Catch::Contains("doesn't exist"));
    REQUIRE(write_file(folder.path("long"), std::string(101, 'x')).ok());
    CHECK_THAT(read_file(folder.path("long"), 100).error().text(), Catch::Contains("at most"));
    CHECK(read_file(folder.path("long"), 101).value().size() == 101);
}

TEST_CASE("what crashed programs left half written is swept, but nothing else and nothing fresh", "[files]") {
    const TemporaryFolder folder;
    const auto make = [&](const char* name, bool old) {
        REQUIRE(write_file(folder.path(name), "x").ok());
        if (old)
            fs::last_write_time(folder.path(name), fs::file_time_type::clock::now() - std::chrono::hours(2));
    };
    make(".scene.partial-0123456789abcdef.json", true);
    make(".fresh.partial-0123456789abcdef.json", false);
    make("scene.json", true);
    make(".hidden.json", true);
    remove_stale_temporaries(folder.folder());
    CHECK_FALSE(fs::exists(folder.path(".scene.partial-0123456789abcdef.json")));
    CHECK(fs::exists(folder.path(".fresh.partial-0123456789abcdef.json")));
    CHECK(fs::exists(folder.path("scene.json")));
    CHECK(fs::exists(folder.path(".hidden.json")));
    remove_stale_temporaries(folder.path("not there"));
}

TEST_CASE("names are folded in every script that has cases", "[files]") {
    CHECK(same_name("BENCH Talk", "bench tALK"));
    CHECK(same_name("\u00c4RGER \u0416", "\u00e4rger \u0436"));
    CHECK_FALSE(same_name("Bench", "Bench "));
    CHECK(case_folded("\xff\xfe A") == "\xff\xfe a");  // no UTF-8: kept
    CHECK(case_folded("\xf0\x9f\x8e\x99 MIC") == "\xf0\x9f\x8e\x99 mic");
    CHECK(case_folded("\xc3") == "\xc3");
}

TEST_CASE("a scene that could not be read again is not saved", "[scene]") {
    const TemporaryFolder folder;
    const SceneLibrary library(folder.folder());
    Scene scene;
    scene.name = "Evening";
    scene.chain().stages = {stage("gain")};
    REQUIRE(library.save(scene).ok());
    const std::string before = read_file(folder.path("evening.json"), 1'000'000).value();
    scene.note = std::string(1'100'000, 'x');
    const auto saved = library.save(scene);
    REQUIRE_FALSE(saved.ok());
    CHECK_THAT(saved.error().text(), Catch::Contains("reading it again failed"));
    CHECK(read_file(folder.path("evening.json"), 1'000'000).value() == before);
    CHECK(entries(folder.folder()) == 1);
}

TEST_CASE("a learnt room stands on one line of a scene file, and comes back", "[scene]") {
    Scene scene;
    scene.name = "\"levels_dbfs\": \"\\\"list\\\"\"";  // as awkward as a name can be
    StageSpec a = stage("suppression");
    a.taught = {{48000.0, 48000.0 / 1024}, std::vector<float>(513, -70.5f)};
    StageSpec b = a;
    b.id = "second";
    b.title = scene.name;
    b.taught.list.assign(513, -61.25f);
    scene.chain().stages = {a, b};
    REQUIRE(chain_problems(scene.chain()).empty());
    const std::string text = write_scene(scene);
    CHECK(std::count(text.begin(), text.end(), '\n') < 150);
    const SceneReading again = read_scene(text);
    REQUIRE(again.scene);
    CHECK(again.scene->name == scene.name);
    CHECK(again.scene->chain().stages[0].taught == a.taught);
    CHECK(again.scene->chain().stages[1].taught.list[0] == Approx(-61.3).margin(0.06));
    CHECK(write_scene(*again.scene) == text);
}

TEST_CASE("a session nested deeply is refused, not followed to the end of the stack", "[scene]") {
    for (const char* where : {"\"scene\":", "\"memories\":", "\"more\":"}) {
        const std::string text =
            std::string(R"({"format":"dusky-reed-state","version":1,)") + where + std::string(500'000, '[');
        const auto state = parse_working_state(text);
        REQUIRE_FALSE(state.ok());
        CHECK_THAT(state.error().text(), Catch::Contains("nested"));
    }
}
