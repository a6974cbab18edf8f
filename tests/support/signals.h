// Test signals and simple measurements, independent of the code under test.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/audio_block.h"
#include "chain/chain_spec.h"

namespace reed::test {

/// Sine of `amplitude` (1: full scale), starting at `phase` radians.
std::vector<float> sine(double frequency, double amplitude, double seconds, double rate = 48000,
                        double phase = 0);
/// White Gaussian noise of the given RMS; the same seed gives the same noise.
std::vector<float> noise(double rms, double seconds, std::uint32_t seed, double rate = 48000);
std::vector<float> silence(double seconds, double rate = 48000);
/// White noise low-passed at `corner` Hz (first order), of the given RMS: room noise.
std::vector<float> dull_noise(double rms, double corner, double seconds, std::uint32_t seed,
                              double rate = 48000);
void append(std::vector<float>& to, const std::vector<float>& what);
std::vector<float> mix(const std::vector<float>& a, const std::vector<float>& b);
AudioBuffer mono(const std::vector<float>& x);
AudioBuffer stereo(const std::vector<float>& left, const std::vector<float>& right);

double rms(const std::vector<float>& x, size_t first = 0, size_t count = SIZE_MAX);
double peak(const std::vector<float>& x, size_t first = 0, size_t count = SIZE_MAX);
/// dB of a ratio of amplitudes.
double db(double ratio);
/// Amplitude of the component at `frequency` (correlation with a Hann window).
double tone_amplitude(const std::vector<float>& x, double frequency, double rate, size_t first = 0);
/// Largest |a - b|.
double largest_difference(const std::vector<float>& a, const std::vector<float>& b);
/// Least and most level in dBFS of the tenth of a second (at 48 kHz) at frame `at`, and of those that begin
/// up to 14 ms earlier, in two sounds.
std::pair<double, double> levels_of_both(const std::vector<float>& one, const std::vector<float>& other,
                                         size_t at);
/// Checks that the tenth of a second of `x` at frame `at` is as loud as in one of the two, or between them,
/// within 1 dB. False, and nothing is checked, where they are so quiet that a gate may be on its way.
bool check_as_loud_as(const std::vector<float>& x, const std::vector<float>& one,
                      const std::vector<float>& other, size_t at);

/// Spoken words (Debian's alsa-utils, 48 kHz): several, with pauses of 0.9 s between, `repeats` times.
std::vector<float> spoken_words(int repeats = 1);

/// A chain of one stage with default values, and changes to it as id-value pairs.
StageSpec stage(const std::string& kind, const std::vector<std::pair<std::string, double>>& values = {});
ChainSpec chain_of(const std::vector<StageSpec>& stages);
/// Runs a chain over mono sound, latency taken out.
std::vector<float> run(const ChainSpec& chain, const std::vector<float>& x, double rate = 48000,
                       int block = 1024);

/// A fresh folder under the system's temporary one, removed at the end.
class TemporaryFolder {
  public:
    TemporaryFolder();
    ~TemporaryFolder();
    std::string path(const std::string& name) const { return folder_ + "/" + name; }
    const std::string& folder() const { return folder_; }

  private:
    std::string folder_;
};

void write_wav(const std::string& path, const AudioBuffer& sound, double rate = 48000);

}  // namespace reed::test
