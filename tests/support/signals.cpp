#include "support/signals.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <numbers>
#include <random>

#include "base/sound_file.h"
#include "engine/render.h"

namespace reed::test {

using std::numbers::pi;

std::vector<float> sine(double frequency, double amplitude, double seconds, double rate, double phase) {
    std::vector<float> out(static_cast<size_t>(std::lround(seconds * rate)));
    for (size_t i = 0; i < out.size(); ++i) {
        out[i] = static_cast<float>(amplitude *
                                    std::sin(2 * pi * frequency * static_cast<double>(i) / rate + phase));
    }
    return out;
}

std::vector<float> noise(double level, double seconds, std::uint32_t seed, double rate) {
    std::mt19937 random(seed);
    std::normal_distribution<double> normal(0.0, level);
    std::vector<float> out(static_cast<size_t>(std::lround(seconds * rate)));
    for (auto& x : out) x = static_cast<float>(normal(random));
    return out;
}

std::vector<float> silence(double seconds, double rate) {
    return std::vector<float>(static_cast<size_t>(std::lround(seconds * rate)));
}

std::vector<float> dull_noise(double level, double corner, double seconds, std::uint32_t seed, double rate) {
    std::vector<float> out = noise(1.0, seconds, seed, rate);
    const double k = 1.0 - std::exp(-2 * pi * corner / rate);
    double state = 0.0;
    for (auto& x : out) x = static_cast<float>(state += k * (x - state));
    const double scale = level / rms(out);
    for (auto& x : out) x = static_cast<float>(x * scale);
    return out;
}

void append(std::vector<float>& to, const std::vector<float>& what) {
    to.insert(to.end(), what.begin(), what.end());
}

std::vector<float> mix(const std::vector<float>& a, const std::vector<float>& b) {
    std::vector<float> out = a;
    for (size_t i = 0; i < std::min(a.size(), b.size()); ++i) out[i] += b[i];
    return out;
}

AudioBuffer mono(const std::vector<float>& x) {
    AudioBuffer out(1, x.size());
    out[0] = x;
    return out;
}

AudioBuffer stereo(const std::vector<float>& left, const std::vector<float>& right) {
    AudioBuffer out(2, left.size());
    out[0] = left;
    out[1] = right;
    return out;
}

double rms(const std::vector<float>& x, size_t first, size_t count) {
    double sum = 0.0;
    size_t n = 0;
    for (size_t i = first; i < x.size() && n < count; ++i, ++n) sum += static_cast<double>(x[i]) * x[i];
    return n == 0 ? 0.0 : std::sqrt(sum / static_cast<double>(n));
}

double peak(const std::vector<float>& x, size_t first, size_t count) {
    float out = 0.0f;
    for (size_t i = first, n = 0; i < x.size() && n < count; ++i, ++n) out = std::max(out, std::abs(x[i]));
    return out;
}

double db(double ratio) {
    return 20.0 * std::log10(std::max(ratio, 1e-20));
}

double tone_amplitude(const std::vector<float>& x, double frequency, double rate, size_t first) {
    double re = 0.0;
    double im = 0.0;
    double weight = 0.0;
    const auto n = static_cast<double>(x.size() - first);
    for (size_t i = first; i < x.size(); ++i) {
        const double w = 0.5 - 0.5 * std::cos(2 * pi * static_cast<double>(i - first) / n);
        const double phase = 2 * pi * frequency * static_cast<double>(i) / rate;
        re += w * x[i] * std::cos(phase);
        im += w * x[i] * std::sin(phase);
        weight += w;
    }
    return 2.0 * std::hypot(re, im) / weight;
}

double largest_difference(const std::vector<float>& a, const std::vector<float>& b) {
    REQUIRE(a.size() == b.size());
    double out = 0.0;
    for (size_t i = 0; i < a.size(); ++i) out = std::max(out, std::abs(static_cast<double>(a[i]) - b[i]));
    return out;
}

std::pair<double, double> levels_of_both(const std::vector<float>& one, const std::vector<float>& other,
                                         size_t at) {
    double least = 200.0, most = -200.0;
    for (size_t by = 0; by <= 672; by += 96) {
        for (const auto* s : {&one, &other}) {
            const double level = db(rms(*s, at - by, 4800));
            least = std::min(least, level);
            most = std::max(most, level);
        }
    }
    return {least, most};
}

bool check_as_loud_as(const std::vector<float>& x, const std::vector<float>& one,
                      const std::vector<float>& other, size_t at) {
    const auto [least, most] = levels_of_both(one, other, at);
    if (least < -45.0) return false;
    const double now = db(rms(x, at, 4800));
    INFO("at " << static_cast<double>(at) / 48000);
    CHECK(now > least - 1.0);
    CHECK(now < most + 1.0);
    return true;
}

std::vector<float> spoken_words(int repeats) {
    std::vector<float> out = silence(0.8);
    for (int r = 0; r < repeats; ++r) {
        for (const char* word :
             {"Front_Center", "Front_Left", "Rear_Right", "Side_Left", "Rear_Center", "Front_Right"}) {
            auto sound = read_sound(std::string("/usr/share/sounds/alsa/") + word + ".wav");
            REQUIRE(sound.ok());
            append(out, sound.value()[0]);
            append(out, silence(0.9));
        }
    }
    return out;
}

StageSpec stage(const std::string& kind, const std::vector<std::pair<std::string, double>>& values) {
    const StageKind* k = find_stage_kind(kind);
    REQUIRE(k != nullptr);
    StageSpec out = new_stage({}, *k);
    for (const auto& [id, value] : values) {
        INFO(kind << "." << id);
        REQUIRE(k->find(id) >= 0);
        out.set(id, value);
    }
    return out;
}

ChainSpec chain_of(const std::vector<StageSpec>& stages) {
    ChainSpec out;
    for (StageSpec s : stages) {
        const std::string wanted = s.id;
        for (int n = 2; out.index_of(s.id) >= 0; ++n) s.id = wanted + "_" + std::to_string(n);
        out.stages.push_back(s);
    }
    return out;
}

std::vector<float> run(const ChainSpec& chain, const std::vector<float>& x, double rate, int block) {
    auto out = render(chain, mono(x), rate, block);
    REQUIRE(out.ok());
    return out.value()[0];
}

TemporaryFolder::TemporaryFolder() {
    std::string pattern = (std::filesystem::temp_directory_path() / "dusky-reed-test-XXXXXX").string();
    REQUIRE(mkdtemp(pattern.data()) != nullptr);
    folder_ = pattern;
}

TemporaryFolder::~TemporaryFolder() {
    std::error_code ec;
    std::filesystem::permissions(folder_, std::filesystem::perms::owner_all, ec);
    std::filesystem::remove_all(folder_, ec);
}

void write_wav(const std::string& path, const AudioBuffer& sound, double rate) {
    AudioBuffer copy = sound;
    auto writer = SoundWriter::create(path, {rate, sound.channels()}, SampleFormat::float32);
    REQUIRE(writer.ok());
    REQUIRE(writer.value()->write(copy.block(0, static_cast<int>(copy.frames()))).ok());
    REQUIRE(writer.value()->finish().ok());
}

}  // namespace reed::test
