#include "takes/blind_test.h"

#include <cmath>
#include <random>

namespace reed {

double guess_probability(int right, int rounds) {
    double sum = 0.0, ways = 1.0;  // ways to be right k times
    for (int k = 0; k <= rounds; ++k) {
        if (k >= right) sum += ways;
        ways = ways * (rounds - k) / (k + 1);
    }
    return sum * std::pow(0.5, rounds);
}

BlindTest::BlindTest(std::uint32_t seed) {
    std::mt19937 lot(seed);
    for (int i = 0; i < kRounds; ++i) lots_.push_back((lot() >> 13U & 1U) != 0);
}

void BlindTest::answer(bool b) {
    if (!done()) answers_.push_back(b);
}

int BlindTest::right() const {
    int out = 0;
    for (size_t i = 0; i < answers_.size(); ++i) out += static_cast<int>(answers_[i] == lots_[i]);
    return out;
}

}  // namespace reed
