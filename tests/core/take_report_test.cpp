// A take before and after its chain as a page; takes on the command line.
#include <catch2/catch.hpp>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "measure/loudness.h"
#include "scenes/scene.h"
#include "support/command.h"
#include "support/signals.h"
#include "takes/take_report.h"

using namespace reed;
using namespace reed::test;

namespace {

double integrated(AudioBuffer sound, double rate = 48000) {
    LoudnessMeter meter({rate, sound.channels()}, LoudnessStorage::exact);
    meter.add(sound.block(0, static_cast<int>(sound.frames())));
    return *meter.read().integrated;
}

}  // namespace

TEST_CASE("a report tells a take before and after, as a page by itself", "[takes]") {
    const auto words = spoken_words();
    std::vector<float> sound = mix(words, noise(0.001, static_cast<double>(words.size()) / 48000.0, 4));
    const ChainSpec chain = chain_of({stage("gate", {{"open_threshold", -30}, {"close_threshold", -35}}),
                                      stage("compressor"), stage("limiter")});
    const auto r = report_on(mono(sound), 48000, chain);
    REQUIRE(r.ok());
    const double seconds = static_cast<double>(sound.size()) / 48000.0;
    CHECK(static_cast<double>(r.value().course.plain.size()) == Approx(seconds * 100).margin(3));
    CHECK(r.value().course.reductions.size() == 3);
    CHECK(*std::max_element(r.value().course.reductions[0].begin(), r.value().course.reductions[0].end()) >
          20.0f);
    CHECK(r.value().plain.integrated_lufs.has_value());
    Take take;
    take.info = {48000, 1, static_cast<std::int64_t>(sound.size())};
    take.notes.date = "2026-11-26T21:05:33";
    take.notes.name = "<Anna> & \"co\"";
    const std::string page = report_page(r.value(), take, chain, "Bench & talk");
    CHECK(page.find("&lt;Anna&gt; &amp; &quot;co&quot;") != std::string::npos);
    CHECK(page.find("<Anna>") == std::string::npos);
    CHECK(page.find("Bench &amp; talk") != std::string::npos);
    CHECK(page.find("nan") == std::string::npos);
    CHECK(page.find("LUFS (ITU-R BS.1770)") != std::string::npos);
    CHECK(page.find("The first") == std::string::npos);
    take.info.frames *= 100;
    CHECK(report_page(r.value(), take, chain, "").find("The first 15 s of 1") != std::string::npos);
    CHECK(page.find("<script") == std::string::npos);
    CHECK(page.find("http") == std::string::npos);
}

TEST_CASE("the levels of a sound come with what the chain makes of it, to the last bit", "[takes]") {
    const auto x = spoken_words();
    // Chains that delay by more and by less than a block, and by nothing.
    for (const auto& chain : {chain_of({stage("gain", {{"gain", 3}})}),
                              chain_of({stage("compressor"), stage("limiter", {{"lookahead", 8}})}),
                              chain_of({stage("suppression"), stage("suppression"), stage("limiter")})}) {
        AudioBuffer made;
        const auto levels = sound_levels(chain, mono(x), 48000, {}, &made);
        REQUIRE(levels.ok());
        CHECK(made[0] == render(chain, mono(x), 48000).value()[0]);
        const auto report = levels.value().report();
        REQUIRE(report.taps.size() == chain.stages.size() + 1);
        CHECK(report.taps.back().voice_known);
    }
    AudioBuffer made;
    CHECK_FALSE(
        sound_levels(
            chain_of({stage("limiter")}), mono(x), 48000, [](double done) { return done < 0.5; }, &made)
            .ok());
}

TEST_CASE("takes and comparisons on the command line", "[takes][cli]") {
    const TemporaryFolder folder;
    const auto words = spoken_words();
    write_wav(folder.path("words.wav"), mono(words));
    const auto cli = [&](std::vector<std::string> more) {
        more.insert(more.begin(), REED_CLI);
        return run_command(more);
    };
    const std::string takes = folder.path("takes");
    REQUIRE(cli({"take", "import", folder.path("words.wav"), "--folder", takes}).status == 0);
    const auto listed = cli({"take", "list", "--json", "--folder", takes});
    REQUIRE(listed.status == 0);
    const auto all = nlohmann::json::parse(listed.out)["takes"];
    REQUIRE(all.size() == 1);
    CHECK(all[0]["name"] == "words");
    CHECK(all[0]["seconds"].get<double>() == Approx(static_cast<double>(words.size()) / 48000.0));
    REQUIRE(cli({"take", "export", "words", "--out", folder.path("o.opus"), "--folder", takes}).status == 0);
    CHECK(read_sound(folder.path("o.opus")).ok());
    CHECK(cli({"take", "export", "nobody", "--out", folder.path("n.wav"), "--folder", takes}).status == 2);

    Scene loud;
    loud.name = "Loud";
    loud.chain() = chain_of({stage("gain", {{"gain", 6}}), stage("limiter", {{"lookahead", 5}})});
    REQUIRE(write_file(folder.path("loud.json"), write_scene(loud)).ok());
    const auto r = cli({"compare", "--scene", "plain", "--scene", folder.path("loud.json"), "--in", "words",
                        "--folder", takes, "--out", folder.path("ab"), "--json"});
    INFO(r.err);
    REQUIRE(r.status == 0);
    const auto j = nlohmann::json::parse(r.out);
    CHECK(j["gain_applied_db"].get<double>() == Approx(-6.0).margin(0.5));
    CHECK(j["delay_frames"].get<int>() > 200);
    CHECK(j["a_true_peak_dbtp"].is_number());
    const auto a = read_sound(folder.path("ab/a.wav")), b = read_sound(folder.path("ab/b.wav"));
    REQUIRE((a.ok() && b.ok()));
    CHECK(integrated(a.value()) == Approx(integrated(b.value())).margin(0.2));
    CHECK(cli({"compare", "--scene", "plain", "--in", "words", "--folder", takes}).status == 2);
    REQUIRE(cli({"report", "--scene", folder.path("loud.json"), "--in", folder.path("words.wav"), "--out",
                 folder.path("r.html")})
                .status == 0);
    CHECK(read_file(folder.path("r.html"), 1 << 22).value().find("<svg") != std::string::npos);
}
