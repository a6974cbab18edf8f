// Two voices on microphones of a daemon, and a programme.
#pragma once

#include <memory>
#include <vector>

#include "devices/make_source.h"
#include "live/listening.h"
#include "mixer/live_mixer.h"

namespace reed::test {

/// Enough for a dozen pieces to be judged; every recording takes as long as what is played.
inline std::vector<float> few_words() {
    std::vector<float> out = some_words();
    out.resize(std::min<size_t>(out.size(), 7 * 24000));
    return out;
}

inline std::vector<float> softer(std::vector<float> x) {
    for (float& v : x) v *= 0.3f;  // so that the sum stays far below its lid
    return x;
}

inline ChainSpec host() {
    return chain_of({stage("gain", {{"gain", -4}}), stage("equalizer", {{"band2_gain", 3}}),
                     stage("limiter", {{"release", 30}})});
}
inline ChainSpec guest() {
    return chain_of({stage("gain", {{"gain", 3}}), stage("limiter", {{"lookahead", 10}})});
}

struct Table {
    Daemon daemon;
    std::shared_ptr<PipeWireGraph> graph;
    std::unique_ptr<PipeWireHub> hub;
    LiveMixer desk;
    std::vector<std::shared_ptr<LiveStrip>> strips;
    std::vector<std::unique_ptr<SoundSource>> sources;

    explicit Table(bool programme = false) {
        daemon.add_source("desk_mic", "Desk microphone");
        daemon.add_source("guest_mic", "Guest microphone");
        graph = std::make_shared<PipeWireGraph>();
        REQUIRE(graph->settle());
        PipeWireHubOptions options;
        options.block = 512;
        options.graph = graph;
        hub = std::make_unique<PipeWireHub>(options);
        REQUIRE(desk.open({48000, 1}).ok());
        seat("host", StripRole::voice, host(), hub->source("desk_mic", 1));
        seat("guest", StripRole::voice, guest(), hub->source("guest_mic", 1));
        if (programme)
            seat("programme", StripRole::programme, {},
                 hub->programme("dusky-reed-programme", "Dusky Reed programme"));
        arrange();
        desk.set_sink(&hub->feed());
        for (size_t i = 0; i < strips.size(); ++i) start(i);
        REQUIRE(until([&] { return graph->picture().virtual_microphone && all_running(); }));
    }
    ~Table() {
        for (const auto& s : sources) s->stop();
    }
    /// One more that stands on the desk from the next arrange() on.
    void seat(const std::string& id, StripRole role, const ChainSpec& chain,
              std::unique_ptr<SoundSource> source) {
        auto strip = desk.make(id, role);
        auto prepared = Engine::prepare(source->format(), chain);
        REQUIRE(prepared.ok());
        strip->open(std::move(prepared.value()));
        strips.push_back(std::move(strip));
        sources.push_back(std::move(source));
    }
    void arrange() {
        std::vector<size_t> order;
        for (size_t i = 0; i < strips.size(); ++i) order.push_back(i);
        desk.arrange(strips, order);
    }
    void start(size_t i) {
        strips[i]->expect(sources[i]->format(), sources[i]->steady());
        REQUIRE(sources[i]->start(*strips[i], strips[i].get()).ok());
    }
    bool all_running() const {
        return std::ranges::all_of(sources, [](const auto& s) { return s->status().running; });
    }
    template <typename Done>
    bool until(Done done) {
        return tended(
            *sources[0],
            [&] {
                for (size_t i = 1; i < sources.size(); ++i) sources[i]->tend();
                desk.tend();
                return done();
            },
            30.0);
    }
    std::string path(const std::string& name) const { return daemon.folder() + "/" + name; }
    /// Records a microphone beside what the others hear while a file is played into it.
    PairRecording listen(const std::string& file, const std::string& mic,
                         const std::string& heard = "dusky-reed:capture_MONO") {
        const std::string both = path("both.wav");
        const int recorder = daemon.record_pair(both, mic + ":capture_MONO", heard);
        const int player = daemon.play(file, mic);
        REQUIRE(until([&] { return Daemon::ended(player); }));
        Daemon::end(recorder, SIGINT);
        const auto got = read_sound(both);
        REQUIRE(got.ok());
        return {got.value()[0], got.value()[1]};
    }
};

}  // namespace reed::test
