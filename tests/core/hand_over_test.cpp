// The way from the capture to the virtual microphone.
#include <catch2/catch.hpp>

#include "base/stream_fifo.h"
#include "support/realtime_guard.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

/// Writes ramps and reads them again, so that what is lost, doubled or made up shows.
struct Way {
    StreamFifo hand_over;
    AudioBuffer in{1, 8192}, out{1, 8192};
    float next = 1.0f;
    std::vector<float> heard;
    int broken = 0;

    Way() { hand_over.prepare(1); }
    void write(int frames) {
        for (int i = 0; i < frames; ++i) in[0][static_cast<size_t>(i)] = next++;
        hand_over.write(in.block(0, frames));
    }
    void read(int frames) {
        if (!hand_over.read(out.block(0, frames))) ++broken;
        heard.insert(heard.end(), out[0].begin(), out[0].begin() + frames);
    }
    /// Places at which what is heard does not go on, from the first sound on.
    int leaps() const {
        int n = 0;
        for (size_t i = 1; i < heard.size(); ++i) n += heard[i] != heard[i - 1] + 1.0f && heard[i - 1] > 0.0f;
        return n;
    }
};

}  // namespace

TEST_CASE("blocks handed over come out without a delay and without a break", "[devices]") {
    Way way;
    for (int i = 0; i < 1000; ++i) {
        way.write(256);
        way.read(256);
    }
    CHECK(way.broken == 0);
    CHECK(way.leaps() == 0);
    CHECK(way.heard.back() == 256000.0f);
    const RealtimeGuard guard;
    way.hand_over.write(way.in.block(0, 256));
    (void)way.hand_over.read(way.out.block(0, 256));
    const int counted = guard.allocations() + guard.locks();
    CHECK(counted == 0);
}

TEST_CASE("where the rate is converted the blocks of both sides differ, and nothing breaks",
          "[devices][figures]") {
    // 44.1 kHz in a daemon at 48 kHz: 1024 frames of its clock are 940.8 of ours, rounded on each side in its
    // own way.
    for (const double per_cycle : {940.8, 7526.4, 58.8}) {
        for (const double phase : {0.0, 0.3, 0.6, 0.9}) {
            for (const int filter : {0, 24}) {
                Way way;
                way.hand_over.set_converted(true);
                int written = 0;
                int read = 0;
                for (int cycle = 1; cycle <= 2000; ++cycle) {
                    const int to = static_cast<int>(per_cycle * cycle + 0.5);
                    way.write(to - written);
                    written = to;
                    // The other side rounds at another place, and may ask for a filter's length more at
                    // first.
                    const int from = static_cast<int>(per_cycle * cycle + phase) + filter;
                    way.read(from - read);
                    read = from;
                }
                INFO(per_cycle << " frames a cycle, phase " << phase << ", filter " << filter);
                CHECK(way.broken == 0);
                CHECK(way.leaps() == 0);
            }
        }
    }
}

TEST_CASE("what gathered while nobody listened is left out, a lost cycle after a while", "[devices]") {
    Way way;
    for (int i = 0; i < 20; ++i) way.write(256);
    way.read(256);
    CHECK(way.heard.back() == 20 * 256.0f);
    // A cycle in which only the capture ran: a block more, which does not stay for the evening.
    way.write(256);
    int cycles = 0;
    for (; cycles < 2 * StreamFifo::kPatience && way.heard.back() != way.next - 1.0f; ++cycles) {
        way.write(256);
        way.read(256);
    }
    CHECK(cycles >= StreamFifo::kPatience);
    CHECK(way.heard.back() == way.next - 1.0f);
    CHECK(way.leaps() == 1);
    // A cycle in which only the output ran is silent and told as broken.
    way.read(256);
    CHECK(way.broken == 1);
    CHECK(way.heard.back() == 0.0f);
    way.write(256);
    way.read(256);
    CHECK(way.heard.back() == way.next - 1.0f);
}
