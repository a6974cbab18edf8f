// The first start of a new user: from a quiet microphone to an output at its target, on a real daemon.
#include <catch2/catch.hpp>

#include "live/daemon.h"
#include "measure/loudness.h"
#include "measure/speech_level.h"
#include "onair/on_air.h"
#include "review/soundcheck_page.h"
#include "support/noises.h"

using namespace reed;
using namespace reed::test;
using Model = ui::SoundcheckModel;

namespace {

std::vector<float> at_level(std::vector<float> x, double db) {
    for (float& v : x) v *= static_cast<float>(std::pow(10.0, db / 20.0));
    return x;
}

}  // namespace

TEST_CASE("soundcheck at the first start brings a quiet microphone to the target", "[onair][live]") {
    Daemon daemon;
    daemon.add_source("quiet_mic", "Quiet microphone");
    // A voice at -50 dBFS in a room at -85 dBFS.
    auto words = spoken_words(14);
    const double by = -50.0 - speech_level(words, 48000)->active_dbfs;
    words = at_level(std::move(words), by);
    const double seconds = static_cast<double>(words.size()) / 48000.0;
    const auto room = at_level(make_noise(Noise::fan, seconds + 1.0, 3), -88.0);
    write_wav(daemon.folder() + "/room.wav", mono(room));
    write_wav(daemon.folder() + "/words.wav",
              mono(mix(words, {room.begin(), room.begin() + static_cast<long>(words.size())})));
    OnAir w;
    REQUIRE(Window::until([&] { return w.app.audio().snapshot().sources.size() == 1; }));
    CHECK(w.app.firstStart());
    w.window.openSoundcheck(true);
    Model& model = w.app.soundcheck();
    const auto input = [&]() -> ui::FlatButton* {
        for (auto* b : w.window.soundcheck()->findChildren<ui::FlatButton*>("soundcheck_input"))
            if (b->text() == "Quiet microphone") return b;
        return nullptr;
    };
    REQUIRE(Window::until([&] { return input() != nullptr; }));
    input()->click();
    w.opened();
    auto* begin = w.find<ui::FlatButton>("soundcheck_begin");
    REQUIRE(Window::until([&] { return begin->isEnabled() && w.strip().input().status().running; }));
    begin->click();

    const auto record = [&](SoundcheckStep step) {
        model.choose(step);
        model.record();
        REQUIRE(Window::until([&] { return model.state(step) != Model::StepState::recording; }, 60.0));
        REQUIRE(Window::until([&] { return model.state(step) != Model::StepState::checking; }));
        return model.state(step) == Model::StepState::done;
    };
    const int player = daemon.play(daemon.folder() + "/room.wav", "quiet_mic");
    REQUIRE(Window::until([&] { return w.strip().levels().taps[0].now > -120.0; }));
    INFO(model.problem(SoundcheckStep::silence).toStdString());
    CHECK(record(SoundcheckStep::silence));
    Daemon::end(player);
    const int talker = daemon.play(daemon.folder() + "/words.wav", "quiet_mic");
    REQUIRE(Window::until([&] { return w.strip().levels().taps[0].now > -70.0; }));
    INFO(model.problem(SoundcheckStep::talk).toStdString());
    CHECK(record(SoundcheckStep::talk));
    model.analyse();
    REQUIRE(Window::until([&] { return model.phase() == Model::Phase::results; }, 120.0));
    CHECK(model.facts().speech.active_dbfs == Approx(-50.0).margin(2.0));
    model.apply();
    CHECK(model.applied());
    model.close();
    // What goes out now, over some seconds of talk, whole seconds that the daemon may have lost aside.
    w.strip().readings().restart();
    REQUIRE(Window::until(
        [&] {
            const auto loudness = w.app.outputLoudness().integrated;
            return loudness && std::abs(*loudness + 16.0) < 1.5;
        },
        30.0));
    Daemon::end(talker);
}
