#include "neural/frame_suppressor.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>

#include "neural/network_host.h"

namespace reed {
namespace {

struct Free {
    void operator()(ReedNetwork* n) const { reed_network_free(n); }
};
using Network = std::unique_ptr<ReedNetwork, Free>;

class NetworkSuppressor final : public FrameSuppressor {
  public:
    explicit NetworkSuppressor(Network network) : network_(std::move(network)) {
        // Every page it will use is touched now, not in the first frames on the audio thread.
        std::array<float, kFrame> frame{};
        float voice = 0.0f;
        for (int i = 0; i < 20; ++i) {
            for (int k = 0; k < kFrame; ++k)
                frame[static_cast<size_t>(k)] =
                    0.1f * static_cast<float>((k * 73 + i * 31) % 97 - 48) / 48.0f;
            (void)process(frame.data(), frame.data(), voice);
        }
        restart();
    }
    bool process(const float* in, float* out, float& voice) override {
        std::array<float, kFrame> scaled;
        for (int i = 0; i < kFrame; ++i) scaled[static_cast<size_t>(i)] = 32768.0f * in[i];
        float heard = 0.0f;
        if (reed_network_frame(network_.get(), scaled.data(), scaled.data(), &heard) != 0) return false;
        for (const float x : scaled) {
            if (!std::isfinite(x)) return false;
        }
        for (int i = 0; i < kFrame; ++i) out[i] = scaled[static_cast<size_t>(i)] * (1.0f / 32768.0f);
        voice = std::clamp(heard, 0.0f, 1.0f);
        return true;
    }
    int delay() const override { return kFrame; }
    void restart() override { (void)reed_network_restart(network_.get()); }

  private:
    Network network_;
};

}  // namespace

Result<std::unique_ptr<FrameSuppressor>> make_frame_suppressor() {
    static std::mutex one_at_a_time;
    const std::lock_guard lock(one_at_a_time);
    Network network(reed_network_new());
    if (!network) {
        return Error{"the network of the neural suppression can't be started: there is not enough memory.",
                     "", "Close other programs, or choose the adaptive method."};
    }
    return std::unique_ptr<FrameSuppressor>(std::make_unique<NetworkSuppressor>(std::move(network)));
}

}  // namespace reed
