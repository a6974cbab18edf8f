// The suppression's network, and the method that asks it.
#include <catch2/catch.hpp>
#include <cmath>
#include <thread>

#include "chain/chain.h"
#include "engine/engine.h"
#include "neural/network_host.h"
#include "neural/plain_network.h"
#include "neural/quick_layers.h"
#include "neural/voice_network.h"
#include "stages/suppression.h"
#include "support/noises.h"
#include "support/realtime_guard.h"
#include "support/signals.h"
#include "support/suppressions.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Fails after some frames; until then it knows everything for voice.
class Failing final : public VoiceNetwork {
  public:
    bool judge(const float*, float* gains, float& voice) override {
        if (++frames_ > 100) return false;
        std::fill_n(gains, kBands, 1.0f);
        voice = 0.9f;
        return true;
    }
    void restart() override {}
    bool follow(const VoiceNetwork&) override { return true; }

  private:
    int frames_ = 0;
};

}  // namespace

TEST_CASE("our layers give the network's sound to better than -90 dBFS, on any processor", "[suppression]") {
    // Against the same package as wasm2c has turned it into C, function by function.
    auto x = mix(spoken_words(), scaled(make_noise(Noise::rain, 11.0, 5), 0.003));
    append(x, sine(440, 0.5, 0.5));
    append(x, silence(0.3));
    append(x, noise(0.3, 0.5, 6));
    for (const int best : {0, 1}) {
        INFO((best ? "the best form" : "the form that runs everywhere"));
        ReedNetwork* ours = reed_network_new();
        ReedNetwork* judge = reed_network_new();
        ReedPlainNetwork* plain = reed_plain_network_new();
        REQUIRE((ours != nullptr && judge != nullptr && plain != nullptr));
        reed_quick_use_best(best);
        double worst = 0.0;
        double voice_apart = 0.0;
        double most_voice = 0.0;
        float frame[480];
        float out[480];
        float wanted[480];
        float gains[kReedNetworkBands];
        for (size_t at = 0; at + 480 <= x.size(); at += 480) {
            for (size_t i = 0; i < 480; ++i) frame[i] = 32768.0f * x[at + i];
            float voice[3] = {};
            REQUIRE(reed_plain_network_frame(plain, frame, wanted, &voice[0]) == 0);
            REQUIRE(reed_network_frame(ours, frame, out, &voice[1]) == 0);
            REQUIRE(reed_network_gains(judge, frame, gains, &voice[2]) == 0);
            for (size_t i = 0; i < 480; ++i) worst = std::max<double>(worst, std::abs(out[i] - wanted[i]));
            voice_apart =
                std::max<double>({voice_apart, std::abs(voice[1] - voice[0]), std::abs(voice[2] - voice[1])});
            most_voice = std::max<double>(most_voice, voice[0]);
            for (const float g : gains) REQUIRE((g >= 0.0f && g <= 1.0f));
        }
        CHECK(db(worst / 32768.0) < -90.0);
        CHECK(voice_apart < 1e-3);
        CHECK(most_voice > 0.9);
        reed_network_free(ours);
        reed_network_free(judge);
        reed_plain_network_free(plain);
    }
    reed_quick_use_best(1);
}

TEST_CASE("a network that follows another one goes on exactly as that does", "[suppression]") {
    auto first = make_voice_network();
    auto second = make_voice_network();
    REQUIRE((first.ok() && second.ok()));
    const auto x = spoken_words();
    float a[VoiceNetwork::kBands];
    float b[VoiceNetwork::kBands];
    float heard_a = 0.0f;
    float heard_b = 0.0f;
    for (size_t at = 0; at < 200 * 480; at += 480) REQUIRE(first.value()->judge(&x[at], a, heard_a));
    for (size_t at = 0; at < 50 * 480; at += 480) REQUIRE(second.value()->judge(&x[at + 960], b, heard_b));
    REQUIRE(second.value()->follow(*first.value()));
    double unlike = 0.0;
    for (size_t at = 200 * 480; at < 400 * 480; at += 480) {
        REQUIRE(first.value()->judge(&x[at], a, heard_a));
        REQUIRE(second.value()->judge(&x[at], b, heard_b));
        CHECK(heard_a == heard_b);
        CHECK(std::equal(a, a + VoiceNetwork::kBands, b));
        unlike = std::max<double>(unlike, heard_a);
    }
    CHECK(unlike > 0.5);
    // A stand-in is no network of this kind.
    Failing other;
    CHECK_FALSE(second.value()->follow(other));
}

namespace {
int judged = 0;
/// The real one, counted.
class Counted final : public VoiceNetwork {
  public:
    explicit Counted(std::unique_ptr<VoiceNetwork> real) : real_(std::move(real)) {}
    bool judge(const float* in, float* gains, float& voice) override {
        ++judged;
        return real_->judge(in, gains, voice);
    }
    void restart() override { real_->restart(); }
    bool follow(const VoiceNetwork& other) override {
        return real_->follow(*dynamic_cast<const Counted&>(other).real_);
    }

  private:
    std::unique_ptr<VoiceNetwork> real_;
};
Result<std::unique_ptr<VoiceNetwork>> make_counted() {
    auto real = make_voice_network();
    if (!real.ok()) return real.error();
    return std::unique_ptr<VoiceNetwork>(std::make_unique<Counted>(std::move(real.value())));
}

/// Both channels through one stage.
AudioBuffer through(Stage& s, AudioBuffer sound) {
    for (size_t at = 0; at + kSubBlock <= sound.frames(); at += kSubBlock) {
        s.begin_sub_block();
        s.process(sound.block(at, kSubBlock));
    }
    return sound;
}
}  // namespace

TEST_CASE("a voice that is the same in both channels costs one network", "[suppression]") {
    const auto words = mix(spoken_words(), noise(0.0003, 11.0, 5));
    const auto spec = stage("suppression", {{"method", 1}});
    auto one = make_suppression(make_counted);
    one->prepare({48000, 2}, spec.values);
    // The same until a pause after six seconds; from there the right channel is quieter.
    auto ended = static_cast<size_t>(6.0 * 48000);
    while (rms(words, ended, 24000) > 0.0005) ended += 480;
    std::vector<float> right = words;
    for (size_t i = ended; i < right.size(); ++i) right[i] *= 0.25f;
    judged = 0;
    const auto first = through(
        *one, stereo({words.begin(), words.begin() + 2 * 48000}, {words.begin(), words.begin() + 2 * 48000}));
    CHECK(judged >= 250);  // two for the first second, one for the next
    CHECK(judged <= 330);
    one = make_suppression(make_counted);
    one->prepare({48000, 2}, spec.values);
    judged = 0;
    AudioBuffer both = stereo(words, right);
    int taken = 0;
    {
        // Going over to one network, and back to two, takes no memory and waits for nobody.
        const RealtimeGuard guard;
        for (size_t at = 0; at + kSubBlock <= both.frames(); at += kSubBlock) {
            one->begin_sub_block();
            one->process(both.block(at, kSubBlock));
        }
        taken = guard.allocations() + guard.locks();
    }
    CHECK(taken == 0);
    const auto frames = static_cast<int>(words.size() / 480);
    CHECK(judged < frames + 130 + static_cast<int>((words.size() - ended) / 480));
    CHECK(judged > frames + static_cast<int>((words.size() - ended) / 480) - 10);
    // While they are the same both sound the same; afterwards each is what it would be alone.
    CHECK(std::equal(both[0].begin() + 96000, both[0].begin() + static_cast<std::ptrdiff_t>(ended),
                     both[1].begin() + 96000));
    auto alone = make_suppression(make_counted);
    alone->prepare({48000, 1}, spec.values);
    const auto mono_right = through(*alone, mono(right));
    double worst = 0.0;
    for (size_t i = ended + 9600; i < right.size(); ++i)
        worst = std::max(worst, std::abs(static_cast<double>(both[1][i]) - mono_right[0][i]));
    CHECK(worst < 0.02);
    // At once, too: what it has not heard itself it has from the first channel, so that the room stays low.
    CHECK(db(rms(both[1], ended + 2400, 9600) / rms(mono_right[0], ended + 2400, 9600)) ==
          Approx(0.0).margin(3.0));
    CHECK(db(rms(both[1], ended + 2400, 9600) / rms(right, ended + 2400, 9600)) < -13.0);
    CHECK(db(rms(both[1], ended + 9600) / rms(mono_right[0], ended + 9600)) == Approx(0.0).margin(0.3));
}

TEST_CASE("a bypassed neural stage rests, and is warm when it is heard again", "[suppression]") {
    ChainSpec chain = chain_of({stage("suppression", {{"method", 1}})});
    ChainSpec off = chain;
    off.stages[0].bypass = true;
    CHECK(resumes_stage(off, chain));
    CHECK_FALSE(resumes_stage(chain, off));
    ChainSpec adaptive = chain;
    adaptive.stages[0].set("method", 0);
    ChainSpec adaptive_off = adaptive;
    adaptive_off.stages[0].bypass = true;
    CHECK_FALSE(resumes_stage(adaptive_off, adaptive));  // cheap, so it never rests

    // It knows nothing of voices while it rests, and the sound is the input bit for bit.
    auto running = std::move(Chain::build(chain, {48000, 1}).value());
    auto resting = std::move(Chain::build(off, {48000, 1}).value());
    const auto x = mix(spoken_words(), scaled(make_noise(Noise::fan, 11.0, 5), 0.003));
    AudioBuffer a = mono(x);
    AudioBuffer b = mono(x);
    const auto knows_voices = [](Chain& c, AudioBuffer& sound) {
        TapQueue taps(65536);
        c.set_tap_queue(&taps);
        for (size_t at = 0; at + 480 <= sound.frames(); at += 480) c.process(sound.block(at, 480));
        c.set_tap_queue(nullptr);
        bool knows = false;
        for (TapFrame f; taps.try_dequeue(f);) knows = knows || (f.tap == 1 && f.voice >= 0.0f);
        return knows;
    };
    CHECK(knows_voices(*running, a));
    CHECK_FALSE(knows_voices(*resting, b));
    for (size_t i = 960; i < x.size() / 480 * 480; ++i) REQUIRE(b[0][i] == x[i - 960]);

    // Through the engine: the room is known at once, not after the third of a second a cold start takes.
    Engine engine;
    REQUIRE(engine.open({48000, 1}, off).ok());
    const auto room = scaled(make_noise(Noise::fan, 8.0, 7), 0.01);
    AudioBuffer work(1, 256);
    std::vector<float> out;
    for (size_t at = 0; at + 256 <= room.size(); at += 256) {
        if (at / 256 == 900) {
            REQUIRE(engine.chain().follow(chain).ok());
            while (!engine.chain().settled()) std::this_thread::yield();
        }
        std::copy_n(room.begin() + static_cast<std::ptrdiff_t>(at), 256, work[0].begin());
        engine.process(work.block(0, 256));
        out.insert(out.end(), work[0].begin(), work[0].end());
    }
    const size_t back = 900 * 256;
    CHECK(db(rms(out, back - 48000, 40000) / rms(room, back - 48000, 40000)) == Approx(0.0).margin(0.2));
    CHECK(db(rms(out, back + 7200, 4800) / rms(room, back + 7200, 4800)) < -18.0);
}

TEST_CASE("the network knows speech from clicks", "[suppression]") {
    const auto clicks = scaled(make_noise(Noise::keyboard, 12.0, 5), 0.02);
    auto network = make_voice_network();
    REQUIRE(network.ok());
    // Mean probability over the frames above -40 dB.
    const auto likely = [&](const std::vector<float>& x) {
        double sum = 0.0;
        int loud = 0;
        std::vector<float> frame(VoiceNetwork::kBands);
        for (size_t i = 0; i + 480 <= x.size(); i += 480) {
            float voice = -1.0f;
            REQUIRE(network.value()->judge(&x[i], frame.data(), voice));
            REQUIRE((voice >= 0.0f && voice <= 1.0f));
            if (rms(x, i, 480) < 0.01) continue;
            sum += voice;
            ++loud;
        }
        return sum / loud;
    };
    CHECK(likely(clicks) < 0.2);
    CHECK(likely(spoken_words()) > 0.6);
}

TEST_CASE("a network that fails lets the sound pass with the same delay, and says so", "[suppression]") {
    for (const double rate : {48000.0, 44100.0}) {
        auto made = make_suppression([]() -> Result<std::unique_ptr<VoiceNetwork>> {
            return std::unique_ptr<VoiceNetwork>(std::make_unique<Failing>());
        });
        const auto spec = stage("suppression", {{"method", 1}, {"amount", -60}});
        made->prepare({rate, 1}, spec.values);
        std::vector<float> x = sine(300, 0.2, 4.0, rate);
        const auto in = x;
        for (size_t i = 0; i + 32 <= x.size(); i += 32) {
            AudioBuffer unused;
            AudioBlock block;
            block.channels = 1;
            block.frames = 32;
            block.rows[0] = &x[i];
            made->begin_sub_block();
            made->process(block);
            if (i == 9600) CHECK(made->trouble() == nullptr);
        }
        REQUIRE(made->trouble() != nullptr);
        CHECK_THAT(std::string(made->trouble()), Catch::Contains("the signal passes through unchanged"));
        CHECK(made->voice_probability() < 0.0f);
        const auto delay = static_cast<size_t>(made->latency());
        const auto late = static_cast<size_t>(3.0 * rate);
        double worst = 0.0;
        for (size_t i = late; i < late + 20000; ++i)
            worst = std::max(worst, std::abs(static_cast<double>(x[i]) - in[i - delay]));
        // At 44.1 kHz it has been through two converters of rate.
        CHECK(worst < (rate == 48000.0 ? 0.0004 : 0.002));
    }
    // No memory for a network at all: the same.
    auto none = make_suppression([]() -> Result<std::unique_ptr<VoiceNetwork>> {
        return Error{"no memory.", "", ""};
    });
    none->prepare({48000, 1}, stage("suppression", {{"method", 1}}).values);
    CHECK(none->trouble() != nullptr);
}

TEST_CASE("for voice only, a gate stays closed for key clicks and opens for words",
          "[suppression][figures]") {
    StageSpec neural = stage("suppression", {{"method", 1}, {"amount", -6}});
    StageSpec gate =
        stage("gate", {{"open_threshold", -50}, {"close_threshold", -60}, {"range", -60}, {"voice_only", 1}});
    const auto clicks = scaled(make_noise(Noise::keyboard, 8.0, 5), 0.03);
    const double only = db(rms(run(chain_of({neural, gate}), clicks), 48000));
    gate.set("voice_only", 0);
    const double any = db(rms(run(chain_of({neural, gate}), clicks), 48000));
    CHECK(only < any - 10.0);
    gate.set("voice_only", 1);
    const auto words = spoken_words();
    CHECK(std::abs(follows(run(chain_of({neural}), words), run(chain_of({neural, gate}), words))) < 1.0);
    // Without a stage that knows, it listens for itself.
    CHECK(std::abs(follows(words, run(chain_of({gate}), words))) < 0.5);
}

TEST_CASE("a trap inside the network's code is caught, every time, and others go on", "[suppression]") {
    ReedNetwork* broken = reed_network_new();
    ReedNetwork* sound = reed_network_new();
    REQUIRE(broken != nullptr);
    REQUIRE(sound != nullptr);
    std::vector<float> frame(480, 100.0f);
    float voice = -1.0f;
    CHECK(reed_network_frame(broken, frame.data(), frame.data(), &voice) == 0);
    reed_network_break(broken);
    for (int i = 0; i < 3; ++i) {
        frame.assign(480, 100.0f);
        CHECK(reed_network_frame(broken, frame.data(), frame.data(), &voice) != 0);
        CHECK(frame == std::vector<float>(480, 100.0f));  // left alone
        CHECK(reed_network_frame(sound, frame.data(), frame.data(), &voice) == 0);
    }
    reed_network_free(broken);
    reed_network_free(sound);
}
