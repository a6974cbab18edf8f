// Every call on a file, and many for memory, fails once, or is the program's last: what is on the disk
// afterwards is the old or the new, and the program has said what happened.
#include <sys/mman.h>
#include <sys/wait.h>
#include <unistd.h>
#include <csignal>

#include <atomic>
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <random>

#include "base/file.h"
#include "base/sound_file.h"
#include "scenes/library.h"
#include "scenes/scene_archive.h"
#include "scenes/working_state.h"
#include "support/command.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// A folder that stays under one name and is made anew for every run.
struct Place {
    TemporaryFolder at;
    std::string kept = at.path("kept");  ///< where the files are
    std::string changed = at.path("changed.json");
    std::string sound = at.path("in.wav");
    std::string hit = at.path("hit");
    Scene old_scene, new_scene;
    WorkingState old_state;

    Place() {
        old_scene.chain() = chain_of({stage("gain", {{"gain", -3}})});
        new_scene.chain() = chain_of({stage("gain", {{"gain", 5}}), stage("suppression"), stage("limiter")});
        new_scene.name = "Changed";
        REQUIRE(write_file(changed, write_scene(new_scene)).ok());
        write_wav(sound, mono(noise(0.05, 4.0, 3)));
        old_state.theme = "dusk";
        old_state.scene = old_scene;
    }
    void make_anew() {
        std::filesystem::remove_all(kept);
        std::filesystem::remove(hit);
        const SceneLibrary library(kept + "/scenes");
        for (const char* name : {"Evening", "Old"}) {
            old_scene.name = name;
            REQUIRE(library.save(old_scene).ok());
        }
        REQUIRE(library.set_order({"Old", "Evening"}).ok());
        REQUIRE(write_scene_archive(kept + "/all.zip", {old_scene}).ok());
        REQUIRE(save_working_state(kept + "/session.json", old_state).ok());
        write_wav(kept + "/out.wav", mono(silence(0.1)));
        REQUIRE(write_file(kept + "/learnt.json", write_scene(old_scene)).ok());
    }
    /// Runs a program under the shim; false when it ended before the fault's turn came.
    bool run(const std::string& fault, const std::vector<std::string>& program, CommandResult& result) {
        make_anew();
        std::vector<std::string> all = {"/usr/bin/env", "LD_PRELOAD=" REED_FAULT_SHIM, "REED_FAULT=" + fault,
                                        "REED_FAULT_ROOT=" + kept, "REED_FAULT_HIT=" + hit};
        all.insert(all.end(), program.begin(), program.end());
        result = run_command(all);
        return std::filesystem::exists(hit);
    }
};

constexpr int kKilled = 128 + 9;
constexpr int kAborted = 128 + 6;

/// What the driver said of one thing: nothing when it did not come to it.
std::string told(const CommandResult& r, const std::string& thing) {
    const auto at = r.out.find(thing + ": ");
    if (at == std::string::npos) return {};
    const auto from = at + thing.size() + 2;
    return r.out.substr(from, r.out.find('\n', from) - from);
}

void check_kept(const Place& place, const CommandResult& r) {
    const SceneListing here = SceneLibrary(place.kept + "/scenes").list();
    CHECK(here.unreadable.empty());
    const auto chain_of_scene = [&](const std::string& name) -> std::optional<ChainSpec> {
        for (const auto& entry : here.scenes) {
            if (entry.scene.name == name) return entry.scene.chain();
        }
        return {};
    };
    const auto& before = place.old_scene.chain();
    const auto& after = place.new_scene.chain();
    const auto evening = chain_of_scene("Evening");
    REQUIRE(evening);
    CHECK((*evening == before || *evening == after));
    if (told(r, "replace") == "done") CHECK(*evening == after);
    const auto night = chain_of_scene("Night");
    CHECK((!night || *night == after));
    if (told(r, "new") == "done") CHECK(night);
    // Removed is not gone.
    const bool there = chain_of_scene("Old") == before;
    const auto bin = SceneLibrary(place.kept + "/scenes/removed").list();
    CHECK(there != (bin.scenes.size() == 1 && bin.scenes[0].scene.chain() == before));
    if (told(r, "remove") == "done") CHECK_FALSE(there);
    const auto order = read_file(place.kept + "/scenes/order.txt", 1000);
    REQUIRE(order.ok());
    CHECK((order.value() == "Old\nEvening\n" || order.value() == "Night\nEvening\n"));
    if (told(r, "order") == "done") CHECK(order.value().starts_with("Night"));
    const auto sent = chain_of_scene("Sent");
    CHECK((!sent || *sent == after));
    if (told(r, "take in") == "done") CHECK(sent);
    const auto packed = read_scene_archive(place.kept + "/all.zip");
    REQUIRE(packed.ok());
    REQUIRE(packed.value().scenes.size() == 1);
    const ChainSpec& in_zip = packed.value().scenes.front().chain();
    CHECK((in_zip == before || in_zip == after));
    if (told(r, "pack") == "done") CHECK(in_zip == after);
    const auto state = load_working_state(place.kept + "/session.json");
    REQUIRE(state.ok());
    REQUIRE(state.value());
    CHECK((state.value()->theme == "dusk" || state.value()->theme == "dawn"));
    CHECK(state.value()->left_out.empty());
    if (told(r, "state") == "done") CHECK(state.value()->theme == "dawn");
    // What a killed program left is swept by the next start; one that lived left nothing.
    const auto left = [&] {
        size_t n = 0;
        for (const auto& e : std::filesystem::recursive_directory_iterator(place.kept))
            n += e.path().filename().string().front() == '.' ? 1 : 0;
        return n;
    };
    if (r.status != kKilled && r.status != kAborted) CHECK(left() == 0);
    for (const char* folder : {"", "/scenes"})
        remove_stale_temporaries(place.kept + folder, std::chrono::seconds(-1));
    CHECK(left() == 0);
}

/// All of the driver's things were told, each as done or with a reason.
void check_told(const CommandResult& r, bool may_go_unseen) {
    CHECK(r.status == 0);
    bool refused = false;
    for (const char* thing : {"replace", "new", "remove", "order", "take in", "pack", "state"}) {
        INFO(thing);
        REQUIRE_FALSE(told(r, thing).empty());
        refused = refused || told(r, thing) != "done";
    }
    CHECK((refused || may_go_unseen));
}

}  // namespace

TEST_CASE("scenes and state are the old or the new, whatever call fails", "[faults]") {
    Place place;
    const std::vector<std::string> driver = {REED_FAULT_DRIVER, place.kept, place.changed};
    for (const char* call : {"open", "write", "fsync", "close", "rename"}) {
        int n = 0;
        CommandResult r;
        while (place.run(std::string(call) + ":" + std::to_string(++n) + ":fail", driver, r)) {
            INFO(call << " number " << n << " fails\n" << r.out << r.err);
            // A folder that can't be flushed, and a file that was read and can't be closed, do no harm.
            check_told(r, std::string(call) == "fsync" || std::string(call) == "close" ||
                              std::string(call) == "open");
            check_kept(place, r);
        }
        INFO(call);
        CHECK(n > 6);  // six files were written
    }
}

TEST_CASE("scenes and state are the old or the new, wherever the program is killed", "[faults]") {
    Place place;
    const std::vector<std::string> driver = {REED_FAULT_DRIVER, place.kept, place.changed};
    for (const char* when : {"before", "after"}) {
        int n = 0;
        CommandResult r;
        while (place.run("any:" + std::to_string(++n) + ":" + when, driver, r)) {
            INFO("killed " << when << " call " << n << "\n" << r.out);
            CHECK(r.status == kKilled);
            check_kept(place, r);
        }
        CHECK(n > 30);
    }
}

TEST_CASE("killed two hundred times while it is tuned, the state is never older than what was written",
          "[faults]") {
    const TemporaryFolder folder;
    const std::string path = folder.path("session.json");
    // How often the state was written, told by the one that is killed.
    auto* written = static_cast<std::atomic<int>*>(
        ::mmap(nullptr, sizeof(std::atomic<int>), PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0));
    REQUIRE(written != MAP_FAILED);
    new (written) std::atomic<int>(0);
    std::mt19937 random(7);
    std::uniform_int_distribution<int> moment(200, 8000);  // microseconds
    const auto state_of = [](int n) {
        WorkingState s;
        s.scene.name = "Tuned";
        s.scene.chain() = chain_of({stage("gain"), stage("limiter")});
        s.monitor_balance = 0.001 * n;
        return s;
    };
    int last = 0;
    for (int round = 0; round < 200; ++round) {
        const pid_t child = ::fork();
        if (child == 0) {
            for (int n = last + 1;; ++n) {
                if (!save_working_state(path, state_of(n)).ok()) ::_exit(1);
                written->store(n);
            }
        }
        REQUIRE(child > 0);
        ::usleep(static_cast<useconds_t>(moment(random)));
        REQUIRE(::kill(child, SIGKILL) == 0);
        int status = 0;
        REQUIRE(::waitpid(child, &status, 0) == child);
        CHECK(WIFSIGNALED(status));
        const int told = written->load();
        const auto back = load_working_state(path);
        REQUIRE(back.ok());
        if (!back.value()) {
            CHECK(told == 0);  // killed before the first
            continue;
        }
        INFO("round " << round << ", written " << told << " times");
        CHECK(back.value()->left_out.empty());
        last = static_cast<int>(std::lround(1000.0 * back.value()->monitor_balance));
        CHECK((last == told || last == told + 1));
        written->store(last);
    }
    CHECK(last > 50);
    remove_stale_temporaries(folder.folder(), std::chrono::seconds(-1));
    size_t files = 0;
    for (const auto& e : std::filesystem::directory_iterator(folder.folder())) files += e.exists() ? 1 : 0;
    CHECK(files == 1);
    ::munmap(written, sizeof(std::atomic<int>));
}

TEST_CASE("scenes and state are the old or the new on a disk that fills up", "[faults]") {
    Place place;
    const std::vector<std::string> driver = {REED_FAULT_DRIVER, place.kept, place.changed};
    CommandResult r;
    for (long space = 0; place.run("disk:" + std::to_string(space), driver, r); space += 97) {
        INFO(space << " bytes free\n" << r.out);
        check_told(r, false);
        check_kept(place, r);
    }
    CHECK(told(r, "state") == "done");
}

TEST_CASE("scenes and state are the old or the new when memory runs out", "[faults]") {
    Place place;
    const std::vector<std::string> driver = {REED_FAULT_DRIVER, place.kept, place.changed};
    CommandResult r;
    // The first hundred one by one, then ever fewer of them: no two runs meet the same one.
    for (int n = 1; place.run("malloc:" + std::to_string(n) + ":fail", driver, r); n += 1 + n / 120) {
        INFO("piece " << n << " of memory is refused\n" << r.out << r.err);
        // The JSON library takes memory in its destructors, the standard library in functions that promise
        // not to throw: there the program ends, as if it were killed.
        if (r.status != kAborted && r.status != 2) check_told(r, true);  // 2: before it came to anything
        check_kept(place, r);
    }
}

TEST_CASE("a folder that is not ours is told, whatever it refuses, and stays as it is", "[faults]") {
    Place place;
    place.make_anew();
    // Root may do everything, so the driver runs as somebody else.
    std::vector<std::string> driver = {REED_FAULT_DRIVER, place.kept, place.changed};
    if (::geteuid() == 0)
        driver.insert(driver.begin(), {"/usr/bin/setpriv", "--reuid=65534", "--clear-groups"});
    namespace fs = std::filesystem;
    fs::permissions(place.at.folder(), fs::perms(0755));
    const auto scenes = fs::path(place.kept) / "scenes";
    for (const unsigned mode : {0755U, 0555U, 0444U, 0333U, 0111U, 0000U}) {
        // Somebody else's folder for root; one's own otherwise.
        fs::permissions(scenes, fs::perms(mode));
        fs::permissions(place.kept, fs::perms(mode == 0755U && ::geteuid() != 0 ? 0555 : 0755));
        const CommandResult r = run_command(driver);
        fs::permissions(scenes, fs::perms(0755));
        fs::permissions(place.kept, fs::perms(0755));
        INFO(std::oct << mode << "\n" << r.out << r.err);
        if (mode == 0755U && ::geteuid() != 0) {
            CHECK(told(r, "state").find("Permission denied") != std::string::npos);
            place.make_anew();
            continue;
        }
        CHECK(r.status == 0);
        for (const char* thing : {"replace", "new", "remove"}) {
            INFO(thing);
            CHECK_THAT(told(r, thing), Catch::Contains("Permission denied"));
        }
        CHECK(load_scene((scenes / "evening.json").string()).scene->chain() == place.old_scene.chain());
        CHECK(load_scene((scenes / "old.json").string()).scene->chain() == place.old_scene.chain());
        CHECK_FALSE(fs::exists(scenes / "night.json"));
        check_kept(place, r);
        place.make_anew();
    }
}

TEST_CASE("what the command line writes is the old or the new, whatever call fails", "[faults]") {
    Place place;
    const auto out = place.kept + "/out.wav";
    const auto learnt = place.kept + "/learnt.json";
    const std::vector<std::string> render = {REED_CLI, "render",    "--scene", place.changed,
                                             "--in",   place.sound, "--out",   out};
    const std::vector<std::string> learn = {REED_CLI, "scene",     "learn", "--scene", place.changed,
                                            "--in",   place.sound, "--out", learnt};
    const auto check = [&](const CommandResult& r) {
        const auto sound = read_sound(out);
        REQUIRE(sound.ok());
        const bool old_sound = sound.value().frames() == 4800;
        CHECK((old_sound || sound.value().frames() == 4 * 48000));
        const auto scene = load_scene(learnt).scene;
        REQUIRE(scene);
        const bool old_scene = scene->chain() == place.old_scene.chain();
        CHECK((old_scene || scene->chain().stages.size() == 3));
        if (r.status != 0 && r.status != kKilled) {
            CHECK(r.status == 2);
            CHECK_FALSE(r.err.empty());
            CHECK(old_sound);
            CHECK(old_scene);
        }
        if (r.status == 0) CHECK(old_sound != old_scene);  // one of them is what it wrote
    };
    for (const auto& command : {render, learn}) {
        for (const std::string call : {"open", "write", "fsync", "close", "rename", "before", "after"}) {
            const bool kills = call == "before" || call == "after";
            CommandResult r;
            for (int n = 1;; n += 1 + n / 8) {
                const std::string fault =
                    (kills ? "any:" : call + ":") + std::to_string(n) + ":" + (kills ? call : "fail");
                if (!place.run(fault, command, r)) break;
                INFO(command[1] << ", " << fault << "\n" << r.out << r.err);
                if (kills) CHECK(r.status == kKilled);
                check(r);
            }
            CHECK(r.status == 0);
        }
        CommandResult r;
        for (long space = 0; place.run("disk:" + std::to_string(space), command, r);
             space += 1000 + space / 2) {
            INFO(command[1] << ", " << space << " bytes free\n" << r.out << r.err);
            CHECK(r.status == 2);
            CHECK_THAT(r.err, Catch::Contains("free space"));
            check(r);
        }
        CHECK(r.status == 0);
    }
}
