// Microphones, outputs and the daemon itself that come, go and return.
#include <catch2/catch.hpp>
#include <filesystem>

#include "devices/monitor_output.h"
#include "devices/pipewire_device.h"
#include "engine/engine.h"
#include "live/listening.h"
#include "support/command.h"

using namespace reed;
using namespace reed::test;

TEST_CASE("without a daemon it says what to do", "[live]") {
    const TemporaryFolder empty;
    setenv("XDG_RUNTIME_DIR", empty.folder().c_str(), 1);
    CHECK_FALSE(PipeWireGraph().settle());
    CHECK_FALSE(PipeWireGraph().picture().connected);
    const auto made = PipeWireDevice::create({});
    REQUIRE_FALSE(made.ok());
    CHECK_THAT(made.error().text(),
               Catch::Contains("PipeWire isn't running") && Catch::Contains("simulated room"));
    // Chosen on another evening, it is waited for.
    PipeWireOptions remembered;
    remembered.source = "desk_mic";
    remembered.wait_for_source = true;
    auto patient = PipeWireDevice::create(remembered);
    REQUIRE(patient.ok());
    Engine engine;
    REQUIRE(engine.open(patient.value()->format(), {}).ok());
    REQUIRE(patient.value()->start(engine).ok());
    CHECK_FALSE(patient.value()->status().running);
    CHECK(patient.value()->status().waiting);
    CHECK_THAT(patient.value()->status().problem, Catch::Contains("PipeWire isn't running"));
    patient.value()->stop();
    CHECK_FALSE(MonitorOutput::create(std::make_shared<HistoryRing>(1, 48000), {}).ok());
}

TEST_CASE("a daemon that ends is noticed, waited for, and taken up again", "[live]") {
    auto daemon = std::make_unique<Daemon>();
    daemon->add_source("desk_mic", "Desk microphone");
    PipeWireOptions options;
    options.source = "desk_mic";
    Engine engine;
    const auto made = running(engine, options);
    SoundSource& device = *made;
    const int recorder = daemon->record(daemon->folder() + "/used.wav", "dusky-reed");
    REQUIRE(tended(device, [&] { return device.status().feed_used; }));
    CHECK(device.status().problem.empty());
    Daemon::end(recorder);
    REQUIRE(tended(device, [&] { return !device.status().feed_used; }));

    const std::string folder = daemon->folder();
    daemon->stop();
    // On its way out it may take the microphone away first.
    REQUIRE(tended(
        device, [&] { return device.status().problem.find("PipeWire isn't running") != std::string::npos; }));
    CHECK_THAT(device.status().problem, Catch::Contains("resumes"));
    CHECK_FALSE(device.status().running);
    CHECK(device.status().waiting);

    daemon->start_again();
    // The daemon is back, the microphone is not yet.
    REQUIRE(tended(
        device, [&] { return device.status().problem.find("icrophone disconnected") != std::string::npos; }));
    daemon->add_source("desk_mic", "Desk microphone");
    const auto blocks = engine.figures().blocks;
    const int again = daemon->record(folder + "/again.wav", "dusky-reed");
    REQUIRE(tended(device, [&] { return device.status().running && engine.figures().blocks > blocks + 20; }));
    CHECK(daemon->wait_for_node("dusky-reed"));
    Daemon::end(again);
    device.stop();
}

TEST_CASE("a microphone that is pulled out leaves silence, is never replaced, and goes on when it returns",
          "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    daemon.add_source("other_mic", "Other microphone");
    auto graph = std::make_shared<PipeWireGraph>();
    PipeWireOptions options;
    options.source = "desk_mic";
    options.graph = graph;
    Engine engine;
    const auto made = running(engine, options);
    SoundSource& device = *made;
    const int recorder = daemon.record(daemon.folder() + "/gap.wav", "dusky-reed");
    REQUIRE(tended(device, [&] { return engine.figures().blocks > 10; }));
    const auto version = graph->version();

    daemon.remove_node("desk_mic");
    REQUIRE(tended(device, [&] { return !device.status().problem.empty(); }));
    CHECK_THAT(device.status().problem, Catch::Contains("icrophone disconnected"));
    CHECK(graph->version() != version);
    REQUIRE(graph->picture().sources.size() == 1);
    CHECK(graph->picture().sources[0].name == "other_mic");
    // The virtual microphone stays for the programs that use it, and nothing else is heard in its place.
    CHECK(daemon.dump().find("\"node.name\": \"dusky-reed\"") != std::string::npos);
    const auto blocks = engine.figures().blocks;
    // While the daemon plays half a second more of the other one, nothing is put in its place.
    const std::string other = daemon.folder() + "/other.wav";
    const int witness = daemon.record(other, "other_mic");
    const auto heard = std::filesystem::file_size(other);
    REQUIRE(
        tended(device, [&] { return std::filesystem::file_size(other) >= heard + 24000 * sizeof(float); }));
    CHECK(engine.figures().blocks == blocks);
    Daemon::end(witness);

    daemon.add_source("desk_mic", "Desk microphone");
    REQUIRE(tended(device, [&] { return device.status().running && engine.figures().blocks > blocks + 10; }));
    CHECK(device.status().problem.empty());
    Daemon::end(recorder);
    device.stop();

    // One that is not there at the start is waited for only when asked.
    options.source = "not_yet";
    CHECK_FALSE(PipeWireDevice::create(options).ok());
    options.wait_for_source = true;
    auto patient = PipeWireDevice::create(options);
    REQUIRE(patient.ok());
    REQUIRE(engine.open(patient.value()->format(), {}).ok());
    REQUIRE(patient.value()->start(engine).ok());
    CHECK(patient.value()->status().waiting);
    daemon.add_source("not_yet", "Late microphone");
    const int late = daemon.record(daemon.folder() + "/late.wav", "dusky-reed");
    REQUIRE(tended(*patient.value(), [&] { return engine.figures().blocks > 10; }));
    CHECK(patient.value()->status().running);
    Daemon::end(late);
}

TEST_CASE("a microphone that is gone for a moment is heard again, however short the moment", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    PipeWireOptions options;
    options.source = "desk_mic";
    Engine engine;
    const auto made = running(engine, options);
    SoundSource& device = *made;
    const int recorder = daemon.record(daemon.folder() + "/gaps.wav", "dusky-reed");
    REQUIRE(tended(device, [&] { return engine.figures().blocks > 10; }));
    // Ten, or REED_TRIES of them from 0 to 2 s.
    std::vector<double> gaps = {0.0, 0.02, 0.05, 0.1, 0.12, 0.15, 0.2, 0.3, 0.6, 1.2};
    if (const char* tries = getenv("REED_TRIES"); tries != nullptr) {
        const int count = std::max(2, std::atoi(tries));
        gaps.clear();
        for (int i = 0; i < count; ++i) gaps.push_back(2.0 * i / (count - 1));
    }
    double longest = 0.0;
    for (const double gap : gaps) {
        INFO("gone for " << gap << " s");
        daemon.remove_node("desk_mic");
        REQUIRE(Daemon::goes_on(daemon.folder() + "/gaps.wav", gap));
        daemon.add_source("desk_mic", "Desk microphone");
        const auto blocks = engine.figures().blocks;
        const auto back = std::chrono::steady_clock::now();
        CHECK(tended(
            device, [&] { return device.status().running && engine.figures().blocks > blocks + 100; }, 20.0));
        longest =
            std::max(longest, std::chrono::duration<double>(std::chrono::steady_clock::now() - back).count());
    }
    if (getenv("REED_TRIES") != nullptr)
        WARN("a hundred blocks were heard " << longest << " s later at most");
    Daemon::end(recorder);
}

TEST_CASE("two that speak into one virtual microphone: the second waits until the first has ended",
          "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    PipeWireOptions options;
    options.source = "desk_mic";
    Engine engine;
    Engine other;
    auto first = running(engine, options);
    REQUIRE(tended(*first, [&] { return engine.figures().blocks > 10; }));
    const auto links = [] { return run_command({"/usr/bin/pw-link", "-l"}).out; };
    const auto feeds = [&] {
        size_t n = 0;
        const std::string all = links();
        for (auto at = all.find("|-> dusky-reed:input_MONO"); at != std::string::npos;
             at = all.find("|-> dusky-reed:input_MONO", at + 1))
            ++n;
        return n;
    };
    REQUIRE(tended(*first, [&] { return feeds() == 1; }));
    auto second = running(other, options);
    REQUIRE(tended(*second,
                   [&] { return second->status().problem.find("Another Dusky Reed") != std::string::npos; }));
    CHECK(feeds() == 1);
    first->stop();
    REQUIRE(tended(*second, [&] { return second->status().problem.empty() && feeds() == 1; }));
}

TEST_CASE("the default microphone as input is never our own, even where that is the default", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    auto graph = std::make_shared<PipeWireGraph>();
    PipeWireOptions options;
    options.graph = graph;
    {
        Engine engine;
        const auto before = running(engine, options);
        REQUIRE(tended(*before, [&] { return graph->picture().virtual_microphone; }));
        REQUIRE(tended(*before, [&] { return graph->make_default_source(kVirtualMicName).ok(); }));
        REQUIRE(tended(*before, [&] { return graph->picture().default_source == kVirtualMicName; }));
    }
    // As after a restart: the virtual microphone is there already, and the default.
    Engine engine;
    const auto made = running(engine, options);
    REQUIRE(tended(*made, [&] { return engine.figures().blocks > 10; }));
    const std::string all = run_command({"/usr/bin/pw-link", "-l"}).out;
    INFO(all);
    CHECK(all.find("dusky-reed:capture_MONO\n  |-> dusky-reed-input") == std::string::npos);
    CHECK(all.find("desk_mic:capture_MONO\n  |-> dusky-reed-input") != std::string::npos);
}

TEST_CASE("what another program writes into the daemon's settings ends nothing", "[live]") {
    Daemon daemon;
    daemon.add_source("desk_mic", "Desk microphone");
    PipeWireGraph graph;
    REQUIRE(graph.settle());
    PipeWireOptions options;
    options.source = "desk_mic";
    auto made = PipeWireDevice::create(options);
    REQUIRE(made.ok());
    const auto set = [](const std::string& value) {
        return run_command({"/usr/bin/pw-metadata", "0", "default.audio.source", value, "Spa:String:JSON"})
                   .status == 0;
    };
    const auto known_as = [&](const std::string& name) {
        return tended(*made.value(), [&] {
            graph.tend();
            return graph.picture().default_source == name;
        });
    };
    REQUIRE(tended(*made.value(), [&] { return set(R"({"name":"desk_mic"})"); }));
    for (const char* odd :
         {R"({"name":5})", R"({"name":["desk_mic"]})", "[]", "nonsense", R"({"name":{"name":{}}})"}) {
        INFO(odd);
        REQUIRE(known_as("desk_mic"));
        REQUIRE(set(odd));
        CHECK(known_as(""));
        CHECK(graph.picture().connected);
        REQUIRE(set(R"({"name":"desk_mic"})"));
    }
    CHECK(known_as("desk_mic"));
}

TEST_CASE("outputs that look like loudspeakers are told from headphones", "[live]") {
    CHECK(looks_like_loudspeakers("speaker", "x", "y"));
    CHECK(looks_like_loudspeakers("internal", "x", "Headphones"));
    CHECK_FALSE(looks_like_loudspeakers("headset", "speaker", "speaker"));
    CHECK(looks_like_loudspeakers("", "alsa_output.pci.HiFi__Speaker__sink", "Built-in Audio Speaker"));
    CHECK(looks_like_loudspeakers("", "alsa_output.hdmi-stereo", "HDMI"));
    CHECK_FALSE(
        looks_like_loudspeakers("", "alsa_output.pci.HiFi__Headphones__sink", "Built-in Audio Headphones"));
    CHECK_FALSE(looks_like_loudspeakers("", "usb_thing", "Some interface"));
}
