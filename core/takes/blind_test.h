// Which of the two is it? Listened to without knowing.
#pragma once

#include <cstdint>
#include <vector>

namespace reed {

/// Chance of at least `right` of `rounds` by guessing between two (binomial distribution, p = 1/2).
double guess_probability(int right, int rounds);

/// Ten rounds: X is one of the two sides, by lot; the person says which.
class BlindTest {
  public:
    static constexpr int kRounds = 10;
    explicit BlindTest(std::uint32_t seed);

    bool done() const { return static_cast<int>(answers_.size()) == kRounds; }
    /// Which round it is, from 1 on.
    int round() const { return static_cast<int>(answers_.size()) + (done() ? 0 : 1); }
    /// X of this round is side b.
    bool x_is_b() const { return lots_[answers_.size() % kRounds]; }
    /// Ends the round. Nothing after the last one.
    void answer(bool b);
    int right() const;
    double chance() const { return guess_probability(right(), static_cast<int>(answers_.size())); }

  private:
    std::vector<bool> lots_, answers_;
};

}  // namespace reed
