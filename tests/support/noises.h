// Noises of rooms, made from random numbers, for tests and benchmarks of suppression. 48 kHz.
#pragma once

#include <cstdint>
#include <vector>

namespace reed::test {

enum class Noise { fan, hum, rain, traffic, keyboard, lathe, hiss, fountain, wind, street, mouse };
inline constexpr Noise kNoises[] = {Noise::fan,     Noise::hum,      Noise::rain,
                                    Noise::traffic, Noise::keyboard, Noise::lathe};
/// Rooms that are steady or move slowly.
inline constexpr Noise kRooms[] = {Noise::fan,  Noise::hum,      Noise::rain, Noise::traffic, Noise::lathe,
                                   Noise::hiss, Noise::fountain, Noise::wind, Noise::street};
const char* noise_name(Noise which);

/// RMS 1. Fan: dull noise and the tones of its blades; hum: 50 Hz and multiples over a little hiss; rain:
/// bright noise and drops; traffic: rumble that swells and fades; keyboard: clicks, about six a second, over
/// nearly nothing; lathe: motor tones, a rattle and broad noise; hiss: white;
/// fountain: splashing drops over a rush; wind: rumble in gusts; street: a rush and cars that pass; mouse:
/// single clicks over nearly nothing. The same seed gives the same noise.
std::vector<float> make_noise(Noise which, double seconds, std::uint32_t seed);

/// Each sample `db` louder.
std::vector<float> louder(std::vector<float> x, double db);

/// Fan noise at a level in dBFS (RMS).
std::vector<float> fan_noise(double dbfs, double seconds, std::uint32_t seed = 3);

/// Chords of plucked tones, two a second, about -20 dBFS.
std::vector<float> make_music(double seconds);

}  // namespace reed::test
