// The whole setup as one file.
#include "scenes/backup.h"

#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zip.h>

#include <catch2/catch.hpp>
#include <csignal>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "scenes/scene.h"
#include "scenes/working_state.h"
#include "support/command.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
namespace fs = std::filesystem;

namespace {

BackupParts all_parts() {
    BackupParts out = small_backup_parts();
    out.insert(BackupPart::takes);
    return out;
}

std::string scene_text(const std::string& name, double gain) {
    Scene s;
    s.name = name;
    s.chain() = chain_of({stage("gain", {{"gain", gain}}), stage("limiter")});
    return write_scene(s);
}

std::string settings_text(const std::string& theme, const std::string& device) {
    WorkingState s;
    s.scene.name = "Evening";
    s.theme = theme;
    s.input = {"pipewire", device};
    return write_working_state(s);
}

struct Setup {
    TemporaryFolder folder;
    SetupFolders at{folder.path("data/dusky-reed"), folder.path("state/dusky-reed")};

    void write(const fs::path& file, const std::string& bytes) const {
        REQUIRE(write_file(file, bytes).ok());
    }
    void fill() const {
        write(at.data / "scenes/evening.json", scene_text("Evening", -6));
        write(at.data / "scenes/order.txt", "Evening\n");
        write(at.data / "scenes/earlier/evening/1.json", scene_text("Evening", -3));
        write(at.data / "scenes/removed/gone.json", scene_text("Gone", 0));
        write(at.data / "recipes/bench-gate.json", scene_text("Bench gate", 0));
        write(at.data / "characters/wall.json", scene_text("Wall", 0));
        write(at.data / "midi/pads.json", "{\"version\": 1}\n");
        write(at.state / "session.json", settings_text("dusk", "alsa_input.usb"));
        fs::create_directories(at.data / "takes");
        write_wav((at.data / "takes/whisper.wav").string(), mono(noise(0.01, 1, 1)));
    }
    /// Every file below both folders, with its bytes; without the automatic backups.
    std::map<std::string, std::string> files() const {
        std::map<std::string, std::string> out;
        for (const fs::path& top : {at.data, at.state}) {
            std::error_code ec;
            for (const auto& e : fs::recursive_directory_iterator(top, ec)) {
                const std::string name = e.path().lexically_relative(folder.folder()).string();
                if (e.is_regular_file() && name.find("/backups/") == std::string::npos)
                    out[name] = read_file(e.path(), 100'000'000).value();
            }
        }
        return out;
    }
};

/// A zip of these names and texts, as another program may have made it.
void write_zip(const std::string& file, const std::vector<std::pair<std::string, std::string>>& entries) {
    zip_t* zip = zip_open(file.c_str(), ZIP_CREATE | ZIP_TRUNCATE, nullptr);
    REQUIRE(zip != nullptr);
    for (const auto& [name, text] : entries)
        REQUIRE(zip_file_add(zip, name.c_str(), zip_source_buffer(zip, text.data(), text.size(), 0),
                             ZIP_FL_ENC_UTF_8) >= 0);
    REQUIRE(zip_close(zip) == 0);
}

const std::string kManifest =
    R"({"format": "dusky-reed-backup", "version": 1, "program": "0.1.0", "made": "2026-12-02 05:00:00"})";

size_t count(const BackupContents& c, BackupState state) {
    return static_cast<size_t>(std::ranges::count(c.items, state, &BackupItem::state));
}

}  // namespace

TEST_CASE("a backup brings the whole setup to another computer, to the byte", "[backup]") {
    const Setup from;
    from.fill();
    const std::string file = from.folder.path("all.zip");
    REQUIRE(write_backup(file, from.at, all_parts(), "0.1.0").ok());
    struct stat about {};
    REQUIRE(stat(file.c_str(), &about) == 0);
    CHECK((about.st_mode & 0777) == 0600);
    const fs::file_time_type take_time = fs::last_write_time(from.at.data / "takes/whisper.wav");

    const Setup to;
    const auto read = read_backup(file, to.at);
    REQUIRE(read.ok());
    CHECK(read.value().version == "0.1.0");
    CHECK(read.value().items.size() == 8);
    CHECK(count(read.value(), BackupState::added) == 8);
    CHECK(read.value().devices == std::vector<std::string>{"alsa_input.usb"});
    CHECK(read.value().problems.empty());
    CHECK(to.files().empty());  // reading changes nothing

    const auto done = restore_backup(file, to.at, all_parts(), "0.1.0");
    REQUIRE(done.ok());
    CHECK(done.value().restored == 8);
    CHECK(done.value().problems.empty());
    CHECK(done.value().before.empty());
    auto wanted = from.files();
    CHECK(wanted.erase("data/dusky-reed/scenes/removed/gone.json") == 1);
    CHECK(to.files() == wanted);
    const auto apart = fs::last_write_time(to.at.data / "takes/whisper.wav") - take_time;
    CHECK(std::chrono::abs(apart) <= std::chrono::seconds(2));
    // Again: nothing is left to do.
    const auto again = read_backup(file, to.at);
    REQUIRE(again.ok());
    CHECK(count(again.value(), BackupState::same) == 8);
    CHECK(restore_backup(file, to.at, all_parts(), "0.1.0").value().restored == 0);
}

TEST_CASE("a restore loses nothing that was here", "[backup]") {
    const Setup from;
    from.fill();
    const std::string file = from.folder.path("all.zip");
    REQUIRE(write_backup(file, from.at, all_parts(), "0.1.0").ok());
    const Setup here;
    here.fill();
    here.write(here.at.data / "scenes/evening.json", scene_text("Evening", 5));
    here.write(here.at.data / "scenes/mine.json", scene_text("Mine", 1));
    here.write(here.at.state / "session.json", settings_text("dawn", "alsa_input.other"));
    write_wav((here.at.data / "takes/whisper.wav").string(), mono(noise(0.02, 2, 2)));
    const auto before = here.files();

    const auto read = read_backup(file, here.at);
    REQUIRE(read.ok());
    CHECK(count(read.value(), BackupState::different) == 3);
    CHECK(count(read.value(), BackupState::same) == 5);

    // Only the scenes first.
    const auto scenes = restore_backup(file, here.at, {BackupPart::scenes}, "0.1.0");
    REQUIRE(scenes.ok());
    CHECK(scenes.value().restored == 1);
    auto wanted = before;
    wanted["data/dusky-reed/scenes/evening.json"] = scene_text("Evening", -6);
    CHECK(here.files() == wanted);
    REQUIRE_FALSE(scenes.value().before.empty());

    const auto rest = restore_backup(file, here.at, all_parts(), "0.1.0");
    REQUIRE(rest.ok());
    CHECK(rest.value().restored == 1);
    REQUIRE(rest.value().problems.size() == 1);  // the take of the same name
    CHECK_THAT(rest.value().problems[0].text(), Catch::Contains("takes/whisper.wav was left: another take"));
    wanted["state/dusky-reed/session.json"] = settings_text("dusk", "alsa_input.usb");
    CHECK(here.files() == wanted);

    // What was replaced comes back from the copies made before.
    REQUIRE(restore_backup(rest.value().before, here.at, all_parts(), "0.1.0").ok());
    REQUIRE(restore_backup(scenes.value().before, here.at, all_parts(), "0.1.0").ok());
    CHECK(here.files() == before);
}

TEST_CASE("what is no backup, or not wholly one, is refused with its reason", "[backup]") {
    const Setup here;
    here.fill();
    const auto before = here.files();
    const std::string file = here.folder.path("other.zip");
    const auto why = [&] {
        const auto read = read_backup(file, here.at);
        const auto done = restore_backup(file, here.at, all_parts(), "0.1.0");
        CHECK_FALSE(done.ok());
        return read.ok() ? std::string("read") : read.error().text();
    };
    CHECK_THAT(why(), Catch::Contains("can't be read as a backup") && Catch::Contains("No such file"));
    REQUIRE(write_file(file, "no zip").ok());
    CHECK_THAT(why(), Catch::Contains("can't be read as a backup"));
    write_zip(file, {{"evening.json", scene_text("Evening", 0)}});
    CHECK_THAT(why(), Catch::Contains("isn't a backup of Dusky Reed"));
    write_zip(file, {{"backup.json", "[]"}});
    CHECK_THAT(why(), Catch::Contains("isn't a backup of Dusky Reed"));
    write_zip(file, {{"backup.json", R"({"format": "dusky-reed-backup", "version": 2})"}});
    CHECK_THAT(why(), Catch::Contains("newer version"));

    // Names that lead elsewhere, and text that can't be used.
    write_zip(file, {{"backup.json", kManifest},
                     {"scenes/../../escaped.json", scene_text("Escaped", 0)},
                     {"/scenes/absolute.json", scene_text("Absolute", 0)},
                     {"scenes//twice.json", scene_text("Twice", 0)},
                     {"scenes/.hidden.json", scene_text("Hidden", 0)},
                     {"scenes/program.sh", "#!/bin/sh\n"},
                     {"settings/authorized_keys", "key"},
                     {"takes/a.exe", "MZ"},
                     {"scenes/a/b/c/deep.json", scene_text("Deep", 0)},
                     {"scenes/broken.json", "{"},
                     {"scenes/huge.json", std::string(3'000'000, ' ')},
                     {"midi/nested.json", std::string(200, '[') + std::string(200, ']')},
                     {"settings/session.json", "[]"},
                     {"scenes/good.json", scene_text("Good", 0)}});
    const auto read = read_backup(file, here.at);
    REQUIRE(read.ok());
    CHECK(read.value().problems.size() == 12);
    REQUIRE(read.value().items.size() == 1);
    CHECK(read.value().items[0].path == "good.json");
    const auto done = restore_backup(file, here.at, all_parts(), "0.1.0");
    REQUIRE(done.ok());
    CHECK(done.value().restored == 1);
    auto wanted = before;
    wanted["data/dusky-reed/scenes/good.json"] = scene_text("Good", 0);
    CHECK(here.files() == wanted);
    CHECK_FALSE(fs::exists(here.folder.path("escaped.json")));
    CHECK_FALSE(fs::exists(here.folder.path("data/escaped.json")));
}

TEST_CASE("links are neither packed nor followed, and a cancelled backup leaves no file", "[backup]") {
    const Setup here;
    here.fill();
    const std::string secret = here.folder.path("secret.json");
    REQUIRE(write_file(secret, scene_text("Secret", 0)).ok());
    fs::create_symlink(secret, here.at.data / "scenes/link.json");
    fs::create_directory_symlink(here.folder.folder(), here.at.data / "scenes/folder");
    const std::string file = here.folder.path("all.zip");
    REQUIRE(write_backup(file, here.at, all_parts(), "0.1.0").ok());
    CHECK(read_backup(file, here.at).value().items.size() == 8);

    const std::string kept = read_file(file, 100'000'000).value();
    const auto ended = write_backup(file, here.at, all_parts(), "0.1.0", [](double) { return false; });
    REQUIRE_FALSE(ended.ok());
    CHECK_THAT(ended.error().text(), Catch::Contains("Cancelled"));
    CHECK(read_file(file, 100'000'000).value() == kept);
    for (const auto& e : fs::directory_iterator(here.folder.folder())) {
        INFO(e.path());
        CHECK(e.path().string().find(".part") == std::string::npos);
    }
    const auto stopped =
        restore_backup(file, here.at, all_parts(), "0.1.0", [](double done) { return done < 0.2; });
    CHECK_FALSE(stopped.ok());

    // Where nothing can be written, and where there is nothing.
    CHECK_THAT(write_backup(here.folder.folder(), here.at, all_parts(), "0.1.0").error().text(),
               Catch::Contains("is a folder"));
    CHECK_THAT(write_backup(here.folder.path("none/a.zip"), here.at, all_parts(), "0.1.0").error().text(),
               Catch::Contains("doesn't exist. Choose another folder."));
    const Setup empty;
    CHECK_THAT(write_backup(file, empty.at, all_parts(), "0.1.0").error().text(),
               Catch::Contains("nothing to back up"));
    CHECK(read_file(file, 100'000'000).value() == kept);
}

TEST_CASE("a backup that would miss a folder is not written", "[backup]") {
    const Setup here;
    here.fill();
    const fs::path closed = here.at.data / "scenes/earlier";
    fs::permissions(closed, fs::perms::none);
    const std::string file = here.folder.path("all.zip");
    if (access(closed.c_str(), R_OK) != 0) {  // nothing is closed to root
        const auto missed = write_backup(file, here.at, all_parts(), "0.1.0");
        REQUIRE_FALSE(missed.ok());
        CHECK_THAT(missed.error().text(), Catch::Contains("can't be read") && Catch::Contains("permissions"));
        CHECK_FALSE(fs::exists(file));
    }
    fs::permissions(closed, fs::perms::owner_all);
    // A file in place of a folder is an error for root as well.
    fs::remove_all(here.at.data / "midi");
    here.write(here.at.data / "midi", "a file");
    const auto odd = write_backup(file, here.at, all_parts(), "0.1.0");
    REQUIRE_FALSE(odd.ok());
    CHECK_THAT(odd.error().text(), Catch::Contains("midi can't be read"));
    CHECK_FALSE(fs::exists(file));
}

TEST_CASE("a backup that unpacks without end is refused", "[backup]") {
    const Setup here;
    std::vector<std::pair<std::string, std::string>> entries{{"backup.json", kManifest}};
    const std::string text(1'900'000, ' ');
    for (int i = 0; i < 300; ++i) entries.emplace_back("scenes/" + std::to_string(i) + ".json", text);
    const std::string file = here.folder.path("bomb.zip");
    write_zip(file, entries);
    CHECK(fs::file_size(file) < 3'000'000);
    const auto read = read_backup(file, here.at);
    REQUIRE_FALSE(read.ok());
    CHECK_THAT(read.error().text(), Catch::Contains("more than 500 MB"));
}

TEST_CASE("a full disk leaves the backup that was there", "[backup]") {
    const Setup here;
    here.fill();
    const std::string file = here.folder.path("all.zip");
    REQUIRE(write_backup(file, here.at, small_backup_parts(), "0.1.0").ok());
    const std::string kept = read_file(file, 100'000'000).value();
    // Files larger than this can't be written: the take is.
    struct rlimit before {};
    REQUIRE(getrlimit(RLIMIT_FSIZE, &before) == 0);
    struct rlimit small = before;
    small.rlim_cur = 20'000;
    const auto handler = std::signal(SIGXFSZ, SIG_IGN);
    REQUIRE(setrlimit(RLIMIT_FSIZE, &small) == 0);
    const auto full = write_backup(file, here.at, all_parts(), "0.1.0");
    REQUIRE(setrlimit(RLIMIT_FSIZE, &before) == 0);
    (void)std::signal(SIGXFSZ, handler);
    REQUIRE_FALSE(full.ok());
    CHECK_THAT(full.error().text(), Catch::Contains("can't be written") && Catch::Contains("free space"));
    CHECK(read_file(file, 100'000'000).value() == kept);
}

TEST_CASE("automatic copies are a week apart, and the last eight stay", "[backup]") {
    using namespace std::chrono;
    const Setup here;
    CHECK_FALSE(back_up_weekly(here.at, "0.1.0", year(2026) / 12 / 2).ok());  // nothing there yet
    here.fill();
    here.write(here.at.data / "backups/by-hand.zip", "mine");
    const auto on = [&](year_month_day day) {
        const auto made = back_up_weekly(here.at, "0.1.0", day);
        REQUIRE(made.ok());
        return made.value() ? made.value()->filename().string() : std::string();
    };
    CHECK(on(year(2026) / 12 / 2) == "backup-2026-12-02.zip");
    CHECK(on(year(2026) / 12 / 2).empty());
    CHECK(on(year(2026) / 12 / 8).empty());
    CHECK(on(year(2026) / 12 / 9) == "backup-2026-12-09.zip");
    // Without the takes.
    const auto read = read_backup(here.at.data / "backups/backup-2026-12-09.zip", here.at);
    REQUIRE(read.ok());
    CHECK(read.value().items.size() == 7);
    // A clock that was wrong.
    CHECK(on(year(2031) / 1 / 1) == "backup-2031-01-01.zip");
    CHECK(on(year(2026) / 12 / 16) == "backup-2026-12-16.zip");
    auto day = sys_days(year(2026) / 12 / 23);
    for (int week = 0; week < 10; ++week, day += days(7)) CHECK_FALSE(on(year_month_day(day)).empty());
    const auto there = weekly_backups(here.at);
    REQUIRE(there.size() == kKeptBackups);
    CHECK(there[0].filename() == "backup-2031-01-01.zip");
    CHECK(there[1].filename() == "backup-2027-02-24.zip");
    CHECK(fs::exists(here.at.data / "backups/by-hand.zip"));
}

TEST_CASE("a planned restore is carried out once", "[backup]") {
    const Setup here;
    CHECK_FALSE(take_planned_restore(here.at));
    REQUIRE(
        plan_restore(here.at, {here.folder.path("all.zip"), {BackupPart::scenes, BackupPart::midi}}).ok());
    const auto plan = take_planned_restore(here.at);
    REQUIRE(plan);
    CHECK(plan->file == here.folder.path("all.zip"));
    CHECK(plan->parts == BackupParts{BackupPart::scenes, BackupPart::midi});
    CHECK_FALSE(take_planned_restore(here.at));
    here.write(here.at.state / "restore-at-start.json", "{");
    CHECK_FALSE(take_planned_restore(here.at));
    CHECK_FALSE(fs::exists(here.at.state / "restore-at-start.json"));
}

TEST_CASE("backup and restore on the command line", "[backup][cli]") {
    const Setup from, to;
    from.fill();
    const auto cli = [](const Setup& s, std::vector<std::string> arguments) {
        arguments.insert(arguments.begin(), {"/usr/bin/env", "XDG_DATA_HOME=" + s.folder.path("data"),
                                             "XDG_STATE_HOME=" + s.folder.path("state"), REED_CLI});
        return run_command(arguments);
    };
    const std::string file = from.folder.path("all.zip");
    REQUIRE(cli(from, {"backup", "--takes", "--out", file}).status == 0);
    const CommandResult listed = cli(to, {"restore", file, "--list", "--json"});
    REQUIRE(listed.status == 0);
    const auto json = nlohmann::json::parse(listed.out);
    CHECK(json["files"].size() == 8);
    CHECK(json["files"][0]["state"] == "new");
    CHECK(json["devices"][0] == "alsa_input.usb");
    CHECK(to.files().empty());
    CHECK_THAT(cli(to, {"restore", file, "--list", "--part", "midi"}).out,
               Catch::Contains("new        midi       pads.json") && !Catch::Contains("evening.json"));
    CHECK(cli(to, {"restore", file, "--part", "sounds"}).status == 2);
    const CommandResult restored = cli(to, {"restore", file});
    CHECK(restored.status == 0);
    CHECK(restored.out == "8 files restored.\n");
    CHECK(to.files().size() == 8);
    CHECK_THAT(cli(to, {"restore", file + ".none"}).err, Catch::Contains("can't be read as a backup"));

    // While a window runs: its lock names a process that lives, and that is the program.
    to.write(to.at.state / "session.lock", std::to_string(getpid()) + "\nreed_core_tests\nhost\n");
    const CommandResult refused = cli(to, {"restore", file});
    CHECK(refused.status == 2);
    CHECK_THAT(refused.err,
               Catch::Contains("Dusky Reed is running (process " + std::to_string(getpid()) + ")"));
    to.write(to.at.state / "session.lock", std::to_string(getpid()) + "\nanother-program\nhost\n");
    CHECK(cli(to, {"restore", file}).status == 0);
}
