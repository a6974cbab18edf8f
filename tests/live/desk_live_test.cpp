// The desk against a real PipeWire daemon: several sources, programs that play, microphones that go.
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "live/table.h"
#include "scenes/scene.h"
#include "support/command.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("two microphones at once come out of Dusky Reed as the offline render has them", "[live][desk]") {
    Table table;
    const auto words = played(few_words());
    write_wav(table.path("words.wav"), mono(words));
    // The guest alone, the other one open: what the other's chain makes of silence is silence.
    require_equal(
        [&] {
            const auto got = table.listen(table.path("words.wav"), "guest_mic");
            return judge(got.plain, got.heard, run(guest(), got.plain), words, {30000, 4800, 24000, -100.0});
        },
        8);
    // The same words in both at once: the sum of both, a cycle apart where the daemon runs them so.
    const auto soft = played(softer(few_words()));
    write_wav(table.path("soft.wav"), mono(soft));
    require_equal(
        [&] {
            const std::string both = table.path("both.wav");
            const auto lost = [&] {
                return table.sources[0]->status().dropouts + table.sources[1]->status().dropouts;
            };
            const auto lost_before = lost();
            const int recorder = table.daemon.record_ports(
                both, {"desk_mic:capture_MONO", "guest_mic:capture_MONO", "dusky-reed:capture_MONO"});
            const int player = table.daemon.play(table.path("soft.wav"), "desk_mic");
            table.daemon.play_into_too("guest_mic");
            REQUIRE(table.until([&] { return Daemon::ended(player); }));
            Daemon::end(recorder, SIGINT);
            if (lost() != lost_before) return Judged{};  // a block that the program was not given
            const auto got = read_sound(both).value();
            const auto one = run(host(), got[0]), two = run(guest(), got[0]);
            // Either source may lose a cycle that the other one has.
            const auto source = where_both_are_whole(got[0], got[1], soft);
            Judged best;
            for (const int apart : {0, 512, -512, 1024, -1024}) {
                std::vector<float> wanted = one;
                for (size_t i = 2048; i + 2048 < wanted.size(); ++i)
                    wanted[i] += two[static_cast<size_t>(static_cast<int>(i) + apart)];
                const Judged now = judge(source, got[2], wanted, soft, {30000, 4800, 24000, -100.0});
                if (now.equal >= best.equal) best = now;
            }
            return best;
        },
        8);
}

TEST_CASE("a microphone that is pulled out takes no other one with it, and returns", "[live][desk]") {
    Table table;
    const auto words = played(few_words());
    write_wav(table.path("words.wav"), mono(words));
    const auto judged = [&](const char* mic, const ChainSpec& chain) {
        require_equal(
            [&] {
                const auto got = table.listen(table.path("words.wav"), mic);
                return judge(got.plain, got.heard, run(chain, got.plain), words,
                             {30000, 4800, 24000, -100.0});
            },
            8);
    };
    // The host's leads at first; it goes, and the guest is heard.
    table.daemon.remove_node("desk_mic");
    REQUIRE(table.until([&] { return table.sources[0]->status().waiting; }));
    CHECK_THAT(table.sources[0]->status().problem, Catch::Contains("Microphone disconnected"));
    CHECK(table.sources[1]->status().running);
    judged("guest_mic", guest());
    table.daemon.add_source("desk_mic", "Desk microphone");
    REQUIRE(table.until([&] { return table.all_running(); }));
    // And the other way round, while the host speaks.
    const std::string both = table.path("both.wav");
    const int recorder = table.daemon.record_pair(both, "desk_mic:capture_MONO", "dusky-reed:capture_MONO");
    const int player = table.daemon.play(table.path("words.wav"), "desk_mic");
    REQUIRE(Daemon::goes_on(both, 2.0));
    table.daemon.remove_node("guest_mic");
    REQUIRE(table.until([&] { return table.sources[1]->status().waiting; }));
    CHECK(table.sources[0]->status().running);
    REQUIRE(table.until([&] { return Daemon::ended(player); }));
    Daemon::end(recorder, SIGINT);
    const auto got = read_sound(both).value();
    const Judged all = judge(got[0], got[1], run(host(), got[0]), words, {30000, 4800, 24000, -100.0});
    INFO(all.told);
    CHECK(all.pieces > 4);
    CHECK(all.equal == all.pieces);
    table.daemon.add_source("guest_mic", "Guest microphone");
    REQUIRE(table.until([&] { return table.all_running(); }));
    // The daemon is restarted: all of it comes back.
    table.daemon.stop();
    REQUIRE(table.until([&] { return !table.sources[1]->status().running; }));
    table.daemon.start_again();
    table.daemon.add_source("desk_mic", "Desk microphone");
    table.daemon.add_source("guest_mic", "Guest microphone");
    REQUIRE(table.until([&] { return table.all_running() && table.graph->picture().virtual_microphone; }));
    judged("desk_mic", host());
}

TEST_CASE("a program is moved into the programme's output and back, and is heard there", "[live][desk]") {
    Table table(true);
    table.daemon.add_sink("boxes", "Loudspeakers");
    table.strips[2]->set_output(&table.hub->offer("dusky-reed-strip-programme", "Dusky Reed programme", 2));
    REQUIRE(table.until([&] { return table.graph->picture().has_output("dusky-reed-programme"); }));
    // Our own output is offered neither for the headphones nor as an input.
    CHECK(table.graph->picture().sink("dusky-reed-programme") == nullptr);
    CHECK(make_source({DeviceKind::pipewire, "dusky-reed-programme"}, "", *table.hub, 1, true)
              .error()
              .text()
              .find("would cause feedback") != std::string::npos);
    const auto music = noise(0.1, 20.0, 9);
    write_wav(table.path("music.wav"), mono(music));
    const int player = table.daemon.play_as_program(table.path("music.wav"), "boxes");
    const auto plays = [&]() -> std::optional<PlayingProgram> {
        const auto picture = table.graph->picture();
        return picture.programs.empty() ? std::nullopt : std::optional(picture.programs.front());
    };
    REQUIRE(table.until([&] { return plays() && plays()->into == "boxes"; }));
    CHECK(plays()->name.find("pw-cat") != std::string::npos);
    REQUIRE(table.graph->move_program(plays()->id, "dusky-reed-programme").ok());
    REQUIRE(table.until([&] { return plays() && plays()->into == "dusky-reed-programme"; }));
    const std::string file = table.path("programme.wav");
    REQUIRE(table.daemon.wait_for_node("dusky-reed-strip-programme"));
    const int recorder = table.daemon.record(file, "dusky-reed-strip-programme");
    REQUIRE(Daemon::goes_on(file, 2.0));
    Daemon::end(recorder, SIGINT);
    const auto heard = read_sound(file);
    REQUIRE(heard.ok());
    // The daemon makes two channels of one, and one of two.
    CHECK(rms(heard.value()[0], heard.value().frames() / 2) > 0.08);
    CHECK_FALSE(table.graph->move_program(99999, "dusky-reed-programme").ok());
    CHECK_FALSE(table.graph->move_program(plays()->id, "nowhere").ok());
    REQUIRE(table.graph->move_program(plays()->id, "").ok());
    REQUIRE(table.until([&] { return plays() && plays()->into == "boxes"; }));
    Daemon::end(player);
}

TEST_CASE("an output for other programs that somebody destroys is made again", "[live][desk]") {
    Table table(true);
    REQUIRE(table.until([&] { return table.graph->picture().has_output("dusky-reed-programme"); }));
    for (int i = 0; i < 2; ++i) {
        table.daemon.remove_node("dusky-reed-programme");
        REQUIRE(table.until([&] { return !table.graph->picture().has_output("dusky-reed-programme"); }));
        REQUIRE(table.until([&] {
            return table.graph->picture().has_output("dusky-reed-programme") && table.all_running();
        }));
    }
}

TEST_CASE("the command line runs a desk live and tells its levels", "[live][desk][cli]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    Scene scene;
    scene.name = "Two";
    scene.desk.strips.push_back(new_strip(scene.desk, StripRole::voice));
    scene.desk.strips[0].chain = chain_of({stage("gain"), stage("limiter")});
    const std::string file = daemon.folder() + "/two.json";
    REQUIRE(write_file(file, write_scene(scene)).ok());
    write_wav(daemon.folder() + "/words.wav", mono(spoken_words()), 48000);
    const auto cli = [&](std::vector<std::string> more) {
        std::vector<std::string> all{REED_CLI, "live", "--scene", file};
        all.insert(all.end(), more.begin(), more.end());
        return run_command(all);
    };
    const auto r =
        cli({"--input", "voice=desk_mic", "--input", "guest=file:" + daemon.folder() + "/words.wav",
             "--seconds", "4", "--every", "0.2", "--json"});
    INFO(r.err);
    REQUIRE(r.status == 0);
    std::istringstream lines(r.out);
    std::string line, last;
    int count = 0;
    while (std::getline(lines, line)) {
        last = line;
        ++count;
    }
    CHECK(count > 5);
    const auto j = nlohmann::json::parse(last);
    REQUIRE(j["strips"].size() == 2);
    CHECK(j["strips"][1]["id"] == "guest");
    CHECK(j["strips"][1]["peak_dbfs"].get<double>() > -40);
    CHECK(j["t_s"].get<double>() > 1.0);
    CHECK(j["feed_lufs"].is_number());
    CHECK_THAT(
        cli({"--input", "voice=desk_mic", "--input", "guest=desk_mic"}).err,
        Catch::Contains("is the input of guest already") || Catch::Contains("is the input of voice already"));
    CHECK_THAT(cli({"--input", "nobody=desk_mic"}).err, Catch::Contains("is not a strip of this scene"));
    CHECK_THAT(cli({"--input", "voice=not_there"}).err, Catch::Contains("isn't connected"));
    CHECK_THAT(cli({"--input", "voice=desk_mic#4"}).err, Catch::Contains("has no channel 4, only 1"));
    CHECK(cli({"--input", "voice=desk_mic#1", "--seconds", "1"}).status == 0);
    CHECK_THAT(cli({"--input", "voice=dusky-reed"}).err, Catch::Contains("would cause feedback"));
    const auto silent = cli({"--input", "voice=desk_mic", "--seconds", "1"});
    CHECK(silent.status == 0);
    CHECK_THAT(silent.err, Catch::Contains("guest: no input set"));
    CHECK_THAT(silent.out, Catch::Contains("voice: noise"));
}
