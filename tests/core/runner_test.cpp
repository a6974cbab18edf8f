// How the running chains follow what is wanted while the next one is built, and who reads a ring.
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <thread>

#include "base/decibel.h"
#include "base/ring_reader.h"
#include "engine/engine.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;
using Got = RingReader::Got;

namespace {

/// Keeps a builder's thread busy until it is let go.
class Obstacle final : public ChainBuilder::Client {
  public:
    explicit Obstacle(ChainBuilder& builder) : builder_(builder) {
        builder_.add(*this);
        builder_.call();
        while (!stands_) std::this_thread::yield();
    }
    ~Obstacle() override {
        let_go();
        builder_.remove(*this);
    }
    void let_go() { gone_ = true; }
    bool tend() override {
        stands_ = true;
        while (!gone_) std::this_thread::yield();
        return false;
    }

  private:
    ChainBuilder& builder_;
    std::atomic<bool> stands_{false}, gone_{false};
};

/// Level of the last tenth of half a second of a tone of -20 dB sent through.
double through(Engine& engine, double seconds = 0.5) {
    AudioBuffer work = mono(sine(1000, 0.1 * std::sqrt(2.0), seconds));
    for (size_t i = 0; i < work.frames(); i += 240) engine.process(work.block(i, 240));
    return db(rms(work[0], work.frames() - 480)) + 20.0;
}

StageSpec gain(const char* id, double decibels) {
    StageSpec out = stage("gain", {{"gain", decibels}});
    out.id = id;
    return out;
}

void settle(const Engine& engine) {
    while (!engine.chain().settled()) std::this_thread::yield();
}

}  // namespace

TEST_CASE("a value reaches the chain that sounds while another one is being built", "[engine]") {
    const auto builder = std::make_shared<ChainBuilder>();
    Engine engine(builder);
    ChainSpec chain = chain_of({stage("gain", {{"gain", -6}})});
    REQUIRE(engine.open({48000, 1}, chain).ok());
    const auto sounding = engine.chain().sounding();
    Obstacle obstacle(*builder);
    chain.stages.push_back(stage("limiter"));
    REQUIRE(engine.chain().follow(chain).ok());
    chain.stages[0].set("gain", -12);
    REQUIRE(engine.chain().follow(chain).ok());
    CHECK(through(engine) == Approx(-12.0).margin(0.05));
    CHECK(engine.chain().sounding() == sounding);
    CHECK_FALSE(engine.chain().settled());
    obstacle.let_go();
    settle(engine);
    CHECK(through(engine) == Approx(-12.0).margin(0.05));
    CHECK(engine.chain().sounding() != sounding);
    CHECK(engine.chain().stage_count(engine.chain().sounding()) == 2);
}

TEST_CASE("one stage is set as the whole chain would be, and what is more than values is refused",
          "[engine]") {
    const auto builder = std::make_shared<ChainBuilder>();
    Engine engine(builder);
    ChainSpec chain = chain_of({gain("first", -6), gain("second", 0), stage("suppression", {{"method", 1}})});
    chain.stages[2].bypass = true;
    REQUIRE(engine.open({48000, 1}, chain).ok());
    const auto sounding = engine.chain().sounding();
    CHECK(engine.chain().set_stage(gain("second", -6)));
    CHECK(through(engine) == Approx(-12.0).margin(0.05));
    StageSpec off = gain("first", -6);
    off.bypass = true;
    CHECK(engine.chain().set_stage(off));
    CHECK(through(engine) == Approx(-6.0).margin(0.05));
    CHECK(engine.chain().settled());
    CHECK(engine.chain().sounding() == sounding);
    // follow() knows of it: only the other value is one that has changed.
    chain.stages[0] = off;
    chain.stages[1].set("gain", -9);
    REQUIRE(engine.chain().follow(chain).ok());
    CHECK(through(engine) == Approx(-9.0).margin(0.05));
    CHECK(engine.chain().sounding() == sounding);

    CHECK_FALSE(engine.chain().set_stage(gain("third", 0)));
    CHECK_FALSE(engine.chain().set_stage(gain("first", 1e9)));
    CHECK_FALSE(engine.chain().set_stage(gain("first", std::nan(""))));
    StageSpec other_kind = stage("limiter");
    other_kind.id = "first";
    CHECK_FALSE(engine.chain().set_stage(other_kind));
    // A stage that was suspended has to catch up, in a chain of its own.
    StageSpec resumed = chain.stages[2];
    resumed.bypass = false;
    CHECK_FALSE(engine.chain().set_stage(resumed));
    // While another chain is built, both have it.
    Obstacle obstacle(*builder);
    chain.stages.push_back(stage("limiter"));
    REQUIRE(engine.chain().follow(chain).ok());
    CHECK(engine.chain().set_stage(gain("second", -15)));
    CHECK(through(engine) == Approx(-15.0).margin(0.05));
    obstacle.let_go();
    settle(engine);
    CHECK(through(engine) == Approx(-15.0).margin(0.05));
    CHECK(engine.chain().sounding() != sounding);
}

TEST_CASE("a stage tells its own figures while the chain in which it stands elsewhere is built", "[engine]") {
    const auto builder = std::make_shared<ChainBuilder>();
    Engine engine(builder);
    ChainSpec chain = chain_of({stage("plosives"), stage("leveller")});
    chain.stages[0].id = "s";
    chain.stages[1].id = "level";
    REQUIRE(engine.open({48000, 1}, chain).ok());
    through(engine, 2.0);
    const size_t two = find_stage_kind("leveller")->readouts.size();
    const size_t one = find_stage_kind("plosives")->readouts.size();
    REQUIRE(one != two);
    Obstacle obstacle(*builder);
    std::swap(chain.stages[0], chain.stages[1]);
    chain.stages.push_back(stage("tone"));
    REQUIRE(engine.chain().follow(chain).ok());
    const auto told = [&](size_t at) { return engine.chain().readouts(chain.stages[at]); };
    CHECK(told(0).size() == two);
    CHECK(told(1).size() == one);
    CHECK(told(2).empty());
    // Another kind under the same name, as another scene may have it, is told nothing of the one before.
    StageSpec other = stage("saturation");
    other.id = "s";
    CHECK(engine.chain().readouts(other).empty());
    obstacle.let_go();
    settle(engine);
    CHECK(told(0).size() == two);
    CHECK(told(1).size() == one);
    CHECK_FALSE(told(2).empty());
}

TEST_CASE("a scene that is not there yet moves nothing in the one that sounds", "[engine]") {
    const auto builder = std::make_shared<ChainBuilder>();
    Engine engine(builder);
    const ChainSpec first = chain_of({stage("gain", {{"gain", -6}}), stage("compressor")});
    ChainSpec second = first;
    second.stages[0].set("gain", -30);
    REQUIRE(engine.open({48000, 1}, first).ok());
    Obstacle obstacle(*builder);
    REQUIRE(engine.chain().follow(second, Fade::scene).ok());
    second.stages[1].set("makeup", 3);  // turned meanwhile, and it is heard at once; the gain is not
    REQUIRE(engine.chain().follow(second).ok());
    const double now = through(engine);
    CHECK(now == Approx(-3.0).margin(0.3));
    // Nor is another change quicker than the scene it comes with.
    second.stages.push_back(gain("more", 0));
    REQUIRE(engine.chain().follow(second).ok());
    obstacle.let_go();
    settle(engine);
    CHECK(through(engine, 0.15) > -20.0);
    CHECK(through(engine) == Approx(-27.0).margin(0.3));
}

TEST_CASE("a value moves both chains of a hand-over", "[engine]") {
    Engine engine;
    ChainSpec chain = chain_of({stage("gain")});
    REQUIRE(engine.open({48000, 1}, chain).ok());
    (void)through(engine);
    const auto sounding = engine.chain().sounding();
    chain.stages.push_back(gain("second", 0));
    REQUIRE(engine.chain().follow(chain, Fade::scene).ok());
    settle(engine);
    (void)through(engine, 0.05);
    chain.stages[0].set("gain", -24);
    REQUIRE(engine.chain().follow(chain).ok());
    CHECK(through(engine, 0.1) == Approx(-24.0).margin(0.1));
    CHECK(engine.chain().sounding() == sounding);  // still fading
}

TEST_CASE("there and back again builds nothing", "[engine]") {
    const auto builder = std::make_shared<ChainBuilder>();
    Engine engine(builder);
    const ChainSpec chain = chain_of({stage("gain", {{"gain", -6}})});
    ChainSpec longer = chain;
    longer.stages.push_back(stage("limiter"));
    REQUIRE(engine.open({48000, 1}, chain).ok());
    const auto sounding = engine.chain().sounding();
    {
        Obstacle obstacle(*builder);
        REQUIRE(engine.chain().follow(longer).ok());
        REQUIRE(engine.chain().follow(chain).ok());
    }
    settle(engine);
    CHECK(through(engine) == Approx(-6.0).margin(0.05));
    CHECK(engine.chain().sounding() == sounding);
    // But a stage that rests since is warmed by a chain of its own: it would begin cold.
    ChainSpec network = chain_of({stage("suppression", {{"method", 1}})});
    const ChainSpec awake = network;
    REQUIRE(engine.open({48000, 1}, network).ok());
    const auto cold = engine.chain().sounding();
    {
        Obstacle obstacle(*builder);
        network.stages.push_back(stage("limiter"));
        REQUIRE(engine.chain().follow(network).ok());
        network.stages[0].bypass = true;
        REQUIRE(engine.chain().follow(network).ok());
        REQUIRE(engine.chain().follow(awake).ok());
    }
    settle(engine);
    (void)through(engine);
    CHECK(engine.chain().sounding() != cold);
}

TEST_CASE("one builder serves several engines, which come and go", "[engine]") {
    const auto builder = std::make_shared<ChainBuilder>();
    const ChainSpec chain = chain_of({stage("gain", {{"gain", -6}})});
    ChainSpec longer = chain;
    longer.stages.push_back(gain("second", -6));
    Engine stays(builder);
    REQUIRE(stays.open({48000, 1}, chain).ok());
    (void)through(stays);
    for (int round = 0; round < 20; ++round) {
        Engine goes(builder);
        REQUIRE(goes.open({48000, 1}, chain).ok());
        (void)through(goes, 0.1);
        REQUIRE(goes.chain().follow(longer).ok());
        REQUIRE(stays.chain().follow(round % 2 == 0 ? longer : chain).ok());
        if (round % 3 == 0) continue;  // it goes while its chain is wanted
        settle(goes);
        CHECK(through(goes) == Approx(-12.0).margin(0.05));
    }
    settle(stays);
    CHECK(through(stays) == Approx(-6.0).margin(0.05));
}

TEST_CASE("a reader of a ring takes all in order, and knows when it was overtaken or has another ring") {
    const auto ring = std::make_shared<HistoryRing>(2, 1024);
    std::int64_t written = 0;
    const auto write = [&](HistoryRing& to, int frames) {
        AudioBuffer x(2, static_cast<size_t>(frames));
        for (size_t i = 0; i < x.frames(); ++i, ++written) {
            x[0][i] = static_cast<float>(written);
            x[1][i] = static_cast<float>(written + 2);
        }
        to.write(x.block(0, frames));
    };
    write(*ring, 100);
    RingReader reader(ring);
    AudioBlock piece;
    CHECK(reader.next(64, piece) == Got::nothing);
    write(*ring, 100);
    CHECK(reader.waiting() == 100);
    REQUIRE(reader.next(64, piece) == Got::sound);
    CHECK(piece.frames == 64);
    CHECK(piece[0][0] == 100.0f);
    CHECK(piece[1][63] == 165.0f);
    std::span<const float> mean;
    REQUIRE(reader.next_mono(64, mean) == Got::sound);
    CHECK(mean.size() == 36);
    CHECK(mean[0] == 165.0f);
    // A block is read whole or not at all.
    write(*ring, 10);
    AudioBuffer block(2, 20);
    CHECK(reader.read(block.block(0, 20)) == Got::nothing);
    CHECK(reader.read(block.block(0, 10)) == Got::sound);
    // Overtaken: it says so once and stands at the newest.
    for (int i = 0; i < 12; ++i) write(*ring, 100);
    CHECK(reader.next(64, piece) == Got::overtaken);
    CHECK(piece.frames == 0);
    CHECK(reader.next(64, piece) == Got::nothing);
    reader.skip_to_newest(30);
    REQUIRE(reader.next(64, piece) == Got::sound);
    CHECK(piece.frames == 30);
    CHECK(piece[0][29] == static_cast<float>(written - 1));
    // Another ring, of other channels: from its first frame on.
    CHECK_FALSE(reader.follow(ring));
    const auto other = std::make_shared<HistoryRing>(1, 1024);
    write(*other, 50);
    CHECK(reader.follow(other));
    REQUIRE(reader.next(64, piece) == Got::sound);
    CHECK(piece.channels == 1);
    CHECK(piece.frames == 50);
    CHECK(RingReader().waiting() == 0);
}
