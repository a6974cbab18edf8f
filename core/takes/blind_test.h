// Blind comparison of two sides.
#pragma once

#include <cstdint>
#include <vector>

namespace reed {

/// Probability of at least `right` correct answers of `rounds` by guessing (binomial distribution, p = 1/2).
double guess_probability(int right, int rounds);

/// Ten rounds: X is a random side, and the user answers which one.
class BlindTest {
  public:
    static constexpr int kRounds = 10;
    explicit BlindTest(std::uint32_t seed);

    bool done() const { return static_cast<int>(answers_.size()) == kRounds; }
    /// Number of the current round, from 1.
    int round() const { return static_cast<int>(answers_.size()) + (done() ? 0 : 1); }
    /// Whether X of this round is side b.
    bool x_is_b() const { return lots_[answers_.size() % kRounds]; }
    /// Answers and ends the round. No effect after the last one.
    void answer(bool b);
    int right() const;
    double chance() const { return guess_probability(right(), static_cast<int>(answers_.size())); }

  private:
    std::vector<bool> lots_, answers_;
};

}  // namespace reed
