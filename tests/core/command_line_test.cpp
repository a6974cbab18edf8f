#include <catch2/catch.hpp>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/decibel.h"
#include "base/file.h"
#include "base/sound_file.h"
#include "scenes/scene.h"
#include "stages/registry.h"
#include "support/command.h"
#include "support/noises.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
using nlohmann::json;

namespace {

struct Bench {
    TemporaryFolder folder;
    std::string scene = folder.path("scene.json");
    std::string in = folder.path("in.wav");

    Bench() {
        Scene s;
        s.name = "test";
        s.chain() =
            chain_of({stage("gain", {{"gain", -6}}), stage("suppression"), stage("gate"), stage("limiter")});
        REQUIRE(write_file(scene, write_scene(s)).ok());
        write_wav(in, mono(mix(spoken_words(), noise(0.001, 20, 1))));
    }
    CommandResult cli(std::vector<std::string> arguments) const {
        arguments.insert(arguments.begin(), REED_CLI);
        return run_command(arguments);
    }
    size_t files() const {
        size_t n = 0;
        for ([[maybe_unused]] const auto& e : std::filesystem::directory_iterator(folder.folder())) ++n;
        return n;
    }
};

}  // namespace

TEST_CASE("stages --json lists every table", "[cli]") {
    const Bench b;
    const auto r = b.cli({"stages", "--json"});
    REQUIRE(r.status == 0);
    const json j = json::parse(r.out);
    REQUIRE(j["stages"].size() == stage_kinds().size());
    for (size_t k = 0; k < stage_kinds().size(); ++k) {
        CHECK(j["stages"][k]["kind"] == std::string(stage_kinds()[k]->id));
        CHECK(j["stages"][k]["parameters"].size() == stage_kinds()[k]->parameters.size());
    }
    CHECK(b.cli({"stages"}).status == 0);
}

TEST_CASE("an output that takes nothing is told and is no success", "[cli]") {
    const Bench b;
    const auto r = run_command({"/bin/sh", "-c", std::string(REED_CLI) + " stages --json >/dev/full"});
    CHECK(r.status == 2);
    CHECK_THAT(r.err, Catch::Contains("output can't be written"));
}

TEST_CASE("render writes what the chain makes, in every format and block size", "[cli]") {
    const Bench b;
    SoundInfo info;
    const auto in = read_sound(b.in, &info).value();
    const Scene scene = *load_scene(b.scene).scene;
    const auto wanted = run(scene.chain(), in[0]);
    for (const std::string out : {"a.wav", "b.flac"}) {
        for (const char* block : {"1", "100", "8192"}) {
            const auto r = b.cli(
                {"render", "--scene", b.scene, "--in", b.in, "--out", b.folder.path(out), "--block", block});
            INFO(r.err);
            REQUIRE(r.status == 0);
            SoundInfo made;
            const auto sound = read_sound(b.folder.path(out), &made).value();
            REQUIRE(made.frames == info.frames);
            CHECK(made.sample_rate == 48000);
            CHECK(largest_difference(sound[0], wanted) < (out == "a.wav" ? 1e-9 : 3e-7));
        }
    }
}

TEST_CASE("render lays a character over the chain, before its lid and without its delay", "[cli]") {
    const Bench b;
    const auto in = read_sound(b.in).value();
    const std::string imp = std::string(REED_DEMO_DATA) + "/characters/imp.json";
    const auto render = [&](const std::string& character, const std::string& out) {
        return b.cli({"render", "--scene", b.scene, "--character", character, "--in", b.in, "--out",
                      b.folder.path(out)});
    };
    const auto r = render(imp, "a.wav");
    INFO(r.err);
    REQUIRE(r.status == 0);
    const auto sound = read_sound(b.folder.path("a.wav")).value();
    CHECK(sound.frames() == in.frames());
    ChainSpec chain = load_scene(b.scene).scene->chain();
    const auto plain = run(chain, in[0]);
    CHECK(largest_difference(sound[0], plain) > 0.05);
    // Where words begin and end they still do: loud and quiet stretches of 100 ms go together.
    double both = 0.0, one = 0.0, other = 0.0;
    for (size_t i = 48000; i + 4800 <= in.frames(); i += 4800) {
        const double x = std::max(-80.0, db(rms(sound[0], i, 4800))) + 80.0;
        const double y = std::max(-80.0, db(rms(plain, i, 4800))) + 80.0;
        both += x * y;
        one += x * x;
        other += y * y;
    }
    CHECK(both / std::sqrt(one * other) > 0.98);
    // A file that is none, and a character over several strips.
    const size_t files = b.files();
    CHECK(render(b.in, "b.wav").status == 2);
    const auto several = b.cli({"render", "--scene", b.scene, "--character", imp, "--in", "voice=" + b.in,
                                "--out", b.folder.path("many")});
    CHECK(several.status == 2);
    CHECK_THAT(several.err, Catch::Contains("one voice only"));
    CHECK(b.files() == files);
}

TEST_CASE("render takes sample rates from 44.1 to 192 kHz and stereo", "[cli]") {
    const Bench b;
    for (const double rate : {44100.0, 88200.0, 96000.0, 192000.0}) {
        write_wav(b.folder.path("r.wav"), stereo(sine(440, 0.2, 0.4, rate), sine(300, 0.1, 0.4, rate)), rate);
        REQUIRE(b.cli({"render", "--scene", b.scene, "--in", b.folder.path("r.wav"), "--out",
                       b.folder.path("o.flac")})
                    .status == 0);
        SoundInfo made;
        REQUIRE(read_sound(b.folder.path("o.flac"), &made).ok());
        CHECK(made.sample_rate == rate);
        CHECK(made.channels == 2);
        CHECK(made.frames == static_cast<std::int64_t>(0.4 * rate));
    }
}

TEST_CASE("measure --json has every figure", "[cli]") {
    const Bench b;
    write_wav(b.folder.path("tone.wav"),
              stereo(sine(1000, db_to_gain(-23), 20), sine(1000, db_to_gain(-23), 20)));
    const auto r = b.cli({"measure", b.folder.path("tone.wav"), "--json"});
    REQUIRE(r.status == 0);
    const json j = json::parse(r.out);
    CHECK(j["duration_s"].get<double>() == Approx(20));
    CHECK(j["sample_rate_hz"] == 48000);
    CHECK(j["channels"] == 2);
    CHECK(j["sample_peak_dbfs"].get<double>() == Approx(-23).margin(0.01));
    CHECK(j["true_peak_dbtp"].get<double>() == Approx(-23).margin(0.1));
    CHECK(j["integrated_lufs"].get<double>() == Approx(-23).margin(0.1));  // EBU Tech 3341, case 1
    CHECK(j["loudness_range_lu"].get<double>() == Approx(0).margin(0.1));
    CHECK(j["noise_floor_dbfs"].get<double>() == Approx(-23).margin(0.1));
    CHECK(j["clipped_samples"] == 0);
    write_wav(b.folder.path("clip.wav"), mono(std::vector<float>(1000, 1.0f)));
    CHECK(json::parse(b.cli({"measure", "--json", b.folder.path("clip.wav")}).out)["clipped_samples"] ==
          1000);
    write_wav(b.folder.path("quiet.wav"), mono(silence(1)));
    CHECK(json::parse(b.cli({"measure", "--json", b.folder.path("quiet.wav")}).out)["integrated_lufs"]
              .is_null());
}

TEST_CASE("levels --json tells every tap and reduction", "[cli]") {
    const Bench b;
    const auto r = b.cli({"levels", "--scene", b.scene, "--in", b.in, "--json"});
    REQUIRE(r.status == 0);
    const json j = json::parse(r.out);
    REQUIRE(j["taps"].size() == 5);
    REQUIRE(j["stages"].size() == 4);
    CHECK(j["taps"][0]["after"] == "input");
    const double in_room = j["taps"][0]["room_dbfs"];
    CHECK(in_room == Approx(-57).margin(1));
    CHECK(j["taps"][1]["room_dbfs"].get<double>() == Approx(in_room - 6).margin(0.2));
    CHECK(j["taps"][2]["room_dbfs"].get<double>() < in_room - 20);
    CHECK(j["taps"][1]["voice_dbfs"].get<double>() ==
          Approx(j["taps"][0]["voice_dbfs"].get<double>() - 6).margin(0.2));
    CHECK(j["stages"][2]["kind"] == "gate");
    CHECK(j["stages"][2]["open_share"].get<double>() > 0.4);
    CHECK(j["stages"][2]["open_share"].get<double>() < 0.95);
    CHECK(j["stages"][0]["open_share"].get<double>() == 1.0);
    CHECK(j["stages"][2]["reduction_deepest_db"].get<double>() == Approx(30).margin(0.5));
}

TEST_CASE("bad input ends with status 2, plain words and nothing half-written", "[cli]") {
    const Bench b;
    const std::string out = b.folder.path("out.wav");
    REQUIRE(write_file(b.folder.path("empty.wav"), "").ok());
    REQUIRE(write_file(b.folder.path("text.wav"), "this is no sound at all, though it has the name").ok());
    const std::string good = read_file(b.in, 100'000'000).value();
    REQUIRE(write_file(b.folder.path("header.wav"), good.substr(0, 44)).ok());
    REQUIRE(write_file(b.folder.path("half.wav"), good.substr(0, good.size() / 2)).ok());
    REQUIRE(
        b.cli({"render", "--scene", b.scene, "--in", b.in, "--out", b.folder.path("whole.flac")}).status ==
        0);
    const std::string flac = read_file(b.folder.path("whole.flac"), 100'000'000).value();
    REQUIRE(write_file(b.folder.path("half.flac"), flac.substr(0, flac.size() / 2)).ok());
    REQUIRE(write_file(b.folder.path("cut.wav"), good.substr(0, 30)).ok());
    REQUIRE(write_file(b.folder.path("bad.json"), "{\"format\":").ok());
    REQUIRE(write_file(b.folder.path("big.json"), std::string(10'000'000, '[')).ok());
    write_wav(b.folder.path("low.wav"), mono(silence(0.1, 8000)), 8000);
    struct Case {
        std::vector<std::string> arguments;
        std::string expected;
    };
    const auto render = [&](const std::string& scene, const std::string& in, const std::string& to) {
        return std::vector<std::string>{"render", "--scene", scene, "--in", in, "--out", to};
    };
    const size_t before = b.files();
    const std::vector<Case> cases = {
        {{}, "subcommand"},
        {{"polish"}, "subcommand"},
        {{"render"}, "--scene"},
        {render(b.scene, b.folder.path("none.wav"), out), "doesn't exist"},
        {render(b.scene, b.folder.folder(), out), "folder"},
        {render(b.scene, b.folder.path("empty.wav"), out), "is empty"},
        {render(b.scene, b.folder.path("text.wav"), out), "can't be read as audio"},
        {render(b.scene, b.folder.path("cut.wav"), out), "is truncated"},
        {render(b.scene, b.folder.path("header.wav"), out), "is truncated"},
        {render(b.scene, b.folder.path("low.wav"), out), "8000 Hz is outside 44100 to 192000 Hz"},
        {render(b.folder.path("none.json"), b.in, out), "doesn't exist"},
        {render(b.folder.path("bad.json"), b.in, out), "line 1"},
        {render(b.folder.path("big.json"), b.in, out), "10000 kB long"},
        {render(b.scene, b.in, b.in), "both input and output"},
        {render(b.scene, b.in, b.folder.path("out.mp3")), "Use .wav, .flac or .opus"},
        {render(b.scene, b.in, b.folder.path("no/such/folder/out.wav")), "folder doesn't exist"},
        {{"render", "--scene", b.scene, "--in", b.in, "--out", out, "--block", "0"}, "--block"},
        {{"render", "--scene", b.scene, "--in", b.in, "--out", out, "--block", "9000"}, "--block"},
        {{"measure", b.folder.path("none.wav")}, "doesn't exist"},
        {{"measure", b.folder.path("half.wav")}, "is truncated"},
        {{"levels", "--scene", b.scene, "--in", b.folder.path("half.flac")}, "is truncated"},
        {render(b.scene, b.folder.path("half.flac"), out), "is truncated"},
        {{"levels", "--scene", b.scene, "--in", b.folder.path("text.wav")}, "can't be read as audio"},
        {{"scene", "check", b.folder.path("bad.json")}, "line 1"},
    };
    for (const auto& c : cases) {
        std::string shown;
        for (const auto& a : c.arguments) shown += a + " ";
        const auto r = b.cli(c.arguments);
        INFO(shown << "\n" << r.err);
        CHECK(r.status == 2);
        CHECK_THAT(r.err, Catch::Contains(c.expected));
        CHECK(r.out.empty());
        REQUIRE(b.files() == before);
    }
    CHECK(read_file(b.in, 100'000'000).value() == good);
}

TEST_CASE("an existing output survives a render that fails", "[cli]") {
    const Bench b;
    REQUIRE(write_file(b.folder.path("kept.wav"), "precious").ok());
    REQUIRE(write_file(b.folder.path("text.wav"), "no sound").ok());
    CHECK(b.cli({"render", "--scene", b.scene, "--in", b.folder.path("text.wav"), "--out",
                 b.folder.path("kept.wav")})
              .status == 2);
    CHECK(read_file(b.folder.path("kept.wav"), 100).value() == "precious");
}

TEST_CASE("scene check tells valid scenes from others, each by name", "[cli]") {
    const Bench b;
    REQUIRE(
        write_file(
            b.folder.path("wrong.json"),
            R"({"format":"dusky-reed-scene","version":1,"name":"x","stages":[{"kind":"gate","parameters":{"hold":5000}}]})")
            .ok());
    const auto r = b.cli({"scene", "check", b.scene, b.folder.path("wrong.json")});
    CHECK(r.status == 2);
    CHECK_THAT(r.out, Catch::Contains("scene.json: valid"));
    CHECK_THAT(r.err, Catch::Contains(
                          "wrong.json: stages[0].parameters.hold: Hold 5.00 s is outside 0.00 ms to 1.00 s"));
    CHECK(b.cli({"scene", "check", b.scene}).status == 0);
}

TEST_CASE("samples that are no numbers are named and become silence", "[cli]") {
    const Bench b;
    auto x = sine(300, 0.1, 1.0);
    x[20000] = std::numeric_limits<float>::quiet_NaN();
    x[20001] = std::numeric_limits<float>::infinity();
    write_wav(b.folder.path("nan.wav"), mono(x));
    const auto r = b.cli(
        {"render", "--scene", b.scene, "--in", b.folder.path("nan.wav"), "--out", b.folder.path("o.wav")});
    CHECK(r.status == 0);
    CHECK_THAT(r.err, Catch::Contains("2 non-finite samples"));
    const auto written = read_sound(b.folder.path("o.wav"));
    for (const float v : written.value()[0]) REQUIRE(std::isfinite(v));
}

TEST_CASE("24-bit output that would clip says how many samples", "[cli]") {
    const Bench b;
    Scene s;
    s.name = "hot";
    s.chain() = chain_of({stage("gain", {{"gain", 20}})});
    REQUIRE(write_file(b.folder.path("hot.json"), write_scene(s)).ok());
    const auto r = b.cli(
        {"render", "--scene", b.folder.path("hot.json"), "--in", b.in, "--out", b.folder.path("o.flac")});
    CHECK(r.status == 0);
    CHECK_THAT(r.err, Catch::Contains("were clipped"));
}

TEST_CASE("scene learn teaches a suppression a silent recording, and refuses one with words", "[cli]") {
    const Bench b;
    const std::string room = b.folder.path("room.wav");
    const std::string out = b.folder.path("taught.json");
    write_wav(room, mono(noise(0.01, 5.0, 3)));
    const auto r = b.cli({"scene", "learn", "--scene", b.scene, "--in", room, "--out", out});
    CHECK(r.err == "");
    REQUIRE(r.status == 0);
    const auto taught = load_scene(out).scene;
    REQUIRE(taught);
    // The gain before it takes 6 dB: -36.99 - 6.
    const StageSpec& stage = taught->chain().stages[1];
    CHECK(stage.stage_kind().teaching->level(stage.taught) == Approx(-42.99).margin(0.3));
    CHECK(stage.value("method") == 2.0);
    CHECK(b.cli({"scene", "check", out}).status == 0);

    const auto spoken =
        b.cli({"scene", "learn", "--scene", b.scene, "--in", b.in, "--out", b.folder.path("no.json")});
    CHECK(spoken.status == 2);
    CHECK_THAT(spoken.err, Catch::Contains("in.wav") && Catch::Contains("speech at"));
    CHECK_FALSE(std::filesystem::exists(b.folder.path("no.json")));
    const auto wrong = b.cli({"scene", "learn", "--scene", b.scene, "--stage", "gate", "--in", room, "--out",
                              b.folder.path("no.json")});
    CHECK(wrong.status == 2);
    CHECK_THAT(wrong.err, Catch::Contains("gate is not a stage that learns"));
}

TEST_CASE("what can't be used is told by its file and by what is wrong with it", "[cli]") {
    const Bench b;
    const std::string out = b.folder.path("out.json");
    const auto refused = [&](std::vector<std::string> words, const std::string& file,
                             const std::string& why) {
        const auto r = b.cli(std::move(words));
        INFO(r.err);
        CHECK(r.status == 2);
        CHECK_THAT(r.err, Catch::Contains(file) && Catch::Contains(why));
        CHECK_FALSE(std::filesystem::exists(out));
    };
    const std::string slow = b.folder.path("slow.wav"), wide = b.folder.path("wide.wav");
    write_wav(slow, mono(noise(0.1, 5.0, 1, 8000)), 8000);
    // Eight channels, which our own writer does not make: the header of a WAV file, then silence.
    {
        const auto word = [](std::uint32_t v, int bytes) {
            std::string w;
            for (int i = 0; i < bytes; ++i) w += static_cast<char>((v >> (8 * i)) & 255U);
            return w;
        };
        constexpr std::uint32_t kData = 8 * 2 * 48000;
        const std::string bytes = "RIFF" + word(36 + kData, 4) + "WAVEfmt " + word(16, 4) + word(1, 2) +
                                  word(8, 2) + word(48000, 4) + word(48000 * 16, 4) + word(16, 2) +
                                  word(16, 2) + "data" + word(kData, 4) + std::string(kData, '\0');
        REQUIRE(write_file(wide, bytes).ok());
    }
    for (const char* command : {"note", "learn"}) {
        refused({"scene", command, "--scene", b.scene, "--in", slow, "--out", out}, slow, "44.1 to 192 kHz");
        refused({"scene", command, "--scene", b.scene, "--in", wide, "--out", out}, wide, "8 channels");
    }
    const std::string gone = b.folder.path("gone.wav");
    refused({"compare", "--scene", b.scene, "--scene", "unprocessed", "--in", gone}, gone,
            "neither a file nor the name of a take");
    refused({"report", "--scene", b.scene, "--in", gone, "--out", out}, gone,
            "neither a file nor the name of a take");
    refused(
        {"report", "--scene", b.scene, "--in", "No such take", "--out", out, "--folder", b.folder.folder()},
        "No such take", "is not the name of a take");
    const std::string click = b.folder.path("five.wav");
    write_wav(click, mono(std::vector<float>(5, 0.1f)));
    refused({"take", "import", click, "--folder", b.folder.path("takes")}, click, "shorter than 0.1 s");
    CHECK_FALSE(std::filesystem::exists(b.folder.path("takes/five.flac")));
    // Several who speak at once, and falling water: told as what it may be.
    const auto words = spoken_words(2);
    std::vector<float> babble(10 * 48000);
    for (size_t voice = 0; voice < 12; ++voice) {
        for (size_t i = 0; i < babble.size(); ++i)
            babble[i] += 0.2f * words[(i + voice * 37000 + voice * voice * 1100) % words.size()];
    }
    const std::string crowd = b.folder.path("crowd.wav"), water = b.folder.path("water.wav");
    write_wav(crowd, mono(babble));
    const auto told = b.cli({"scene", "learn", "--scene", b.scene, "--in", crowd, "--out", out});
    INFO(told.err);
    CHECK(told.status == 2);
    CHECK((told.err.find("voices") != std::string::npos || told.err.find("spoke") != std::string::npos));
    auto drops = make_noise(Noise::mouse, 8.0, 3);
    for (float& v : drops) v *= 0.02f;
    write_wav(water, mono(drops));
    refused({"scene", "learn", "--scene", b.scene, "--in", water, "--out", out}, water, "drops of water");
}

TEST_CASE("reference pages of the stages match their tables", "[command]") {
    const Bench b;
    const auto pages = std::filesystem::path(REED_SCHEMA).parent_path() / "stages";
    for (const StageKind* kind : stage_kinds()) {
        const std::string id(kind->id);
        INFO(id << ": run tools/stage-pages");
        const auto r = b.cli({"stages", "--markdown", id});
        REQUIRE(r.status == 0);
        const auto page = read_file(pages / (id + ".md"), 1 << 20);
        REQUIRE(page.ok());
        CHECK(page.value() == r.out);
        CHECK_THAT(r.out, Catch::StartsWith("# " + std::string(kind->title) + "\n"));
    }
    const auto unknown = b.cli({"stages", "--markdown", "gong"});
    CHECK(unknown.status == 2);
    CHECK_THAT(unknown.err, Catch::Contains("gong is not a stage kind"));
}

TEST_CASE("live says when a strip is longer than the fixed latency, and refuses what is out of range",
          "[cli]") {
    const Bench b;
    const auto live = [&](const char* option, const char* ms) {
        return b.cli({"live", "--scene", b.scene, "--input", "file:" + b.in, "--no-virtual-microphone",
                      "--seconds", "0.1", option, ms});
    };
    // Suppression 20 ms, gate, and two limiters.
    const auto tight = live("--fixed-latency", "20");
    CHECK(tight.status == 0);
    CHECK_THAT(tight.err, Catch::Contains("longer than the fixed latency of 20 ms"));
    const auto wide = live("--fixed-latency", "80");
    CHECK(wide.status == 0);
    CHECK_THAT(wide.err, !Catch::Contains("fixed latency"));
    for (const auto& [option, ms] : {std::pair{"--fixed-latency", "300"},
                                     {"--fixed-latency", "nan"},
                                     {"--output-delay", "-1"},
                                     {"--output-delay", "1001"}}) {
        const auto bad = live(option, ms);
        CHECK(bad.status == 2);
        CHECK_THAT(bad.err, Catch::Contains(option));
    }
}
