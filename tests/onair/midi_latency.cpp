// How long a MIDI note and a key press take to silence the output, and what many messages cost: bench/midi
// runs these. Figures, not assertions: they depend on the machine.
#include <pipewire/pipewire.h>
#include <spa/param/audio/format-utils.h>

#include <QEventLoop>
#include <algorithm>
#include <atomic>
#include <chrono>
#include <ctime>

#include "actions/actions.h"
#include "live/midi_device.h"
#include "model/strips/parameter_ref.h"
#include "onair/on_air.h"
#include "onair/x_server.h"
#include "remote/global_shortcuts.h"
#include "remote/midi_remote.h"

namespace reed::test {
namespace {

std::int64_t now_ns() {
    return std::chrono::steady_clock::now().time_since_epoch().count();
}

/// Listens to the virtual microphone as another app does.
class Listener {
  public:
    explicit Listener(int block) {
        static const pw_stream_events events = [] {
            pw_stream_events e{};
            e.version = PW_VERSION_STREAM_EVENTS;
            e.process = [](void* data) { static_cast<Listener*>(data)->process(); };
            return e;
        }();
        client_.locked([&] {
            pw_properties* props = pw_properties_new(PW_KEY_MEDIA_TYPE, "Audio", PW_KEY_MEDIA_CATEGORY,
                                                     "Capture", PW_KEY_TARGET_OBJECT, "dusky-reed", nullptr);
            pw_properties_setf(props, PW_KEY_NODE_LATENCY, "%d/48000", block);
            stream_ = pw_stream_new(client_.core(), "listener", props);
            pw_stream_add_listener(stream_, &hook_, &events, this);
            std::uint8_t room[1024];
            spa_pod_builder builder = SPA_POD_BUILDER_INIT(room, sizeof room);
            spa_audio_info_raw info =
                SPA_AUDIO_INFO_RAW_INIT(.format = SPA_AUDIO_FORMAT_F32, .rate = 48000, .channels = 1);
            const spa_pod* params[1] = {spa_format_audio_raw_build(&builder, SPA_PARAM_EnumFormat, &info)};
            pw_stream_connect(
                stream_, PW_DIRECTION_INPUT, PW_ID_ANY,
                static_cast<pw_stream_flags>(PW_STREAM_FLAG_AUTOCONNECT | PW_STREAM_FLAG_MAP_BUFFERS |
                                             PW_STREAM_FLAG_RT_PROCESS),
                params, 1);
        });
    }
    ~Listener() {
        client_.locked([this] { pw_stream_destroy(stream_); });
    }
    Listener(const Listener&) = delete;
    Listener& operator=(const Listener&) = delete;

    bool silent() const { return silent_; }
    /// When the first silent block came (steady clock, ns).
    std::int64_t silent_since() const { return silent_since_; }
    int block() const { return block_; }

  private:
    void process() {
        pw_buffer* buffer = pw_stream_dequeue_buffer(stream_);
        if (buffer == nullptr) return;
        const spa_data& data = buffer->buffer->datas[0];
        const auto* x = static_cast<const float*>(data.data);
        const size_t n = data.chunk->size / sizeof(float);
        if (x != nullptr && n > 0) {
            block_ = static_cast<int>(n);
            const bool silent = std::all_of(x, x + n, [](float v) { return std::abs(v) < 1e-4F; });
            if (silent && !silent_) silent_since_ = now_ns();
            silent_ = silent;
        }
        pw_stream_queue_buffer(stream_, buffer);
    }
    PipeWireClient client_{"listener"};
    pw_stream* stream_ = nullptr;
    spa_hook hook_{};
    std::atomic<bool> silent_{true};
    std::atomic<std::int64_t> silent_since_{0};
    std::atomic<int> block_{0};
};

/// As Window::until(), with an event loop that sleeps only when nothing happens, as the program's does.
bool spin(const std::function<bool()>& done, int ms) {
    QEventLoop loop;
    QTimer look, end;
    QObject::connect(&look, &QTimer::timeout, &loop, [&] {
        if (done()) loop.exit(0);
    });
    QObject::connect(&end, &QTimer::timeout, &loop, [&] { loop.exit(1); });
    end.setSingleShot(true);
    look.start(2);
    end.start(ms);
    return loop.exec() == 0;
}

double cpu_seconds() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

/// A tone through an empty chain at 128 frames, heard as another app hears it.
struct Heard {
    static constexpr int kBlock = 128;
    AtTheDesk w;
    std::unique_ptr<Listener> listener;
    int player = 0;
    std::int64_t muted_at = 0;
    std::vector<double> took, to_mute;

    Heard() {
        AudioSettings settings = w.app.audio().settings();
        settings.block = kBlock;
        w.app.audio().setSettings(settings);
        w.opened();
        ui::ChainModel& chain = w.strip().chainModel();
        while (!chain.chain().stages.empty()) chain.removeStage(std::string(chain.chain().stages.front().id));
        write_wav(w.folder.path("tone.wav"), mono(sine(440.0, 0.25, 300.0)));
        player = w.daemon.play(w.folder.path("tone.wav"), "desk_mic");
        listener = std::make_unique<Listener>(kBlock);
        QObject::connect(&w.app.mute(), &ui::MicrophoneMute::changed, &w.window,
                         [this] { muted_at = now_ns(); });
        REQUIRE(Window::until([&] { return !listener->silent(); }));
    }
    ~Heard() { Daemon::end(player); }
    Heard(const Heard&) = delete;
    Heard& operator=(const Heard&) = delete;

    /// After something was pressed at `pressed` (steady clock, ns): false if nothing became silent.
    bool silence(const std::function<std::int64_t()>& pressed) {
        if (!spin([&] { return listener->silent(); }, 5000)) return false;
        took.push_back(1e-6 * static_cast<double>(listener->silent_since() - pressed()));
        to_mute.push_back(1e-6 * static_cast<double>(muted_at - pressed()));
        return true;
    }
    void tell(const char* what) {
        REQUIRE(took.size() > 10);
        const auto line = [](const std::string& way, std::vector<double> all) {
            std::ranges::sort(all);
            std::printf("%s: median %.1f ms, 95 %% below %.1f ms, worst %.1f ms\n", way.c_str(),
                        all[all.size() / 2], all[all.size() * 95 / 100], all.back());
        };
        std::printf("%zu times, %d frames (the listener's blocks: %d)\n", took.size(), kBlock,
                    listener->block());
        line(std::string("From ") + what + " to the mute", to_mute);
        line(std::string("From ") + what + " to silence (-68 dB)", took);
    }
};

constexpr int kTimes = 60;

}  // namespace

TEST_CASE("how long a MIDI note takes to silence the output", "[.midi_bench]") {
    Heard h;
    MidiDevice deck("Deck");
    ui::MidiRemote remote(h.w.window.actions());
    remote.start();
    auto& midi = h.w.app.context().midi;
    midi.assign("Deck", {MidiControl::Kind::note, 1, 36}, MidiCoding::absolute, {"mute", {}});
    midi.assign("Deck", {MidiControl::Kind::note, 1, 37}, MidiCoding::absolute, {"unmute", {}});
    REQUIRE(Window::until([&] { return midi.devices().contains("Deck"); }));
    for (int i = 0; i < kTimes; ++i) {
        deck.send({{0x90, 36, 100}, {0x80, 36, 0}});
        if (!h.silence([&] { return deck.sent_at(); })) continue;  // before it was connected
        REQUIRE(Window::until([&] {
            deck.send({{0x90, 37, 100}, {0x80, 37, 0}});
            return Window::until([&] { return !h.listener->silent(); }, 0.5);
        }));
    }
    h.tell("a MIDI note");
}

TEST_CASE("how long a global shortcut takes to silence the output", "[.midi_bench]") {
    Heard h;
    XServer server;
    OtherProgram other(server.display);
    ui::GlobalShortcuts shortcuts(h.w.window.actions(), QDBusConnection("nowhere"), server.display);
    shortcuts.start();
    auto& keys = h.w.app.preferences().keys();
    auto& global = h.w.app.preferences().globalKeys();
    keys.set("mute", QKeySequence("F7"));
    keys.set("unmute", QKeySequence("F8"));
    REQUIRE(Window::until([&] { return global.provider() == ui::GlobalKeys::Provider::x_server; }));
    global.want("mute", true);
    global.want("unmute", true);
    for (int i = 0; i < kTimes; ++i) {
        const std::int64_t pressed = now_ns();
        other.tap(XKB_KEY_F7);
        REQUIRE(h.silence([&] { return pressed; }));
        other.tap(XKB_KEY_F8);
        REQUIRE(Window::until([&] { return !h.listener->silent(); }));
    }
    h.tell("a key press");
}

TEST_CASE("what a thousand MIDI messages a second cost", "[.midi_bench]") {
    AtTheDesk w;
    MidiDevice deck("Deck");
    ui::MidiRemote remote(w.window.actions());
    remote.start();
    constexpr const char* kGain = "voice/gain/gain";
    w.app.context().midi.assign("Deck", {MidiControl::Kind::controller, 1, 21}, MidiCoding::absolute,
                                {{}, kGain});
    const auto gain = ui::ParameterRef::at(w.app.mixer(), kGain);
    REQUIRE(Window::until([&] {
        deck.send({{0xb0, 21, 0}, {0xb0, 21, 127}});
        return Window::until([&] { return *gain.position() > 0.99; }, 0.5);
    }));
    constexpr double kSeconds = 10.0;
    enum class Moves { nothing, window, device };
    const auto share = [&](Moves by) {
        // The same movement without messages, as often as the window sets values: what that costs is no cost
        // of MIDI.
        QTimer turn;
        int at = 0;
        QObject::connect(&turn, &QTimer::timeout,
                         [&] { (void)gain.setPosition(static_cast<double>(at = (at + 33) % 128) / 127.0); });
        if (by == Moves::window) turn.start(33);
        deck.sweep(21, by == Moves::device ? 1000 : 0);
        const double start = cpu_seconds();
        (void)spin([] { return false; }, static_cast<int>(1000 * kSeconds));
        const double used = cpu_seconds() - start;
        deck.sweep(21, 0);
        return 100.0 * used / kSeconds;
    };
    for (const bool shown : {true, false}) {
        w.window.setVisible(shown);
        const double still = share(Moves::nothing), window = share(Moves::window),
                     device = share(Moves::device);
        std::printf(
            "The window's thread, %s: %.1f %% of a core while nothing moves, %.1f %% while the window moves "
            "a "
            "value 30 times a second, %.1f %% with 1000 messages a second\n",
            shown ? "visible" : "hidden", still, window, device);
    }
    deck.send({{0xb0, 21, 64}});
    CHECK(Window::until([&] { return std::abs(*gain.position() - 64.0 / 127.0) < 0.01; }));
}

}  // namespace reed::test
