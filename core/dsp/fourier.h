// Fourier transform of real signals.
#pragma once

#include <complex>
#include <memory>
#include <mutex>
#include <span>
#include <vector>

namespace reed {

/// The shortest length of at least `frames` with a fast transform: a multiple of 4 with no prime factor
/// above 7 (FFTW manual, "One-dimensional DFTs of real data").
int fast_length(int frames);

/// Real transform of a fixed length in both directions (FFTW). The constructor allocates and plans
/// (thread-safe); forward() and inverse() are real-time safe.
class Fourier {
  public:
    /// `length`: even, 2 or more; products of 2, 3, 5 and 7 are fast.
    explicit Fourier(int length);
    ~Fourier();
    Fourier(Fourier&&) noexcept;
    Fourier& operator=(Fourier&&) noexcept;

    int length() const;
    /// length / 2 + 1 bins, from 0 Hz to half the sample rate.
    int bins() const { return length() / 2 + 1; }

    /// Input of forward(), output of inverse(): `length` samples.
    std::span<float> samples();
    /// Output of forward(), input of inverse(), whose contents inverse() destroys: `bins` values.
    std::span<std::complex<float>> spectrum();

    /// spectrum[k] = sum of samples[n] exp(-2 pi i k n / length).
    void forward();
    /// samples = the signal whose forward() is spectrum; includes the factor 1 / length.
    void inverse();

  private:
    struct Plans;
    std::unique_ptr<Plans> plans_;
};

/// Lock for all other planning with FFTW, whose planner is not thread-safe.
std::unique_lock<std::mutex> fourier_planning();

/// sqrt(Hann) over `length` samples, periodic: applied twice with 50 % overlap it sums to one.
std::vector<float> root_hann(int length);

}  // namespace reed
