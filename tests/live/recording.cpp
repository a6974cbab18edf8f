#include "live/recording.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <cstring>
#include <unordered_map>

#include "support/signals.h"

namespace reed::test {
namespace {

constexpr size_t kKey = 8;  // samples that identify a place of what was played
constexpr float kSame = 1e-6f;
constexpr size_t kShaky =
    12000;  // frames before a break of the source: by then our own streams may lose cycles

std::uint64_t key_at(const std::vector<float>& x, size_t at) {
    std::uint64_t hash = 1469598103934665603ULL;  // FNV-1a over the samples' bits
    for (size_t i = 0; i < kKey; ++i) {
        std::uint32_t bits = 0;
        std::memcpy(&bits, &x[at + i], sizeof bits);
        hash = (hash ^ bits) * 1099511628211ULL;
    }
    return hash;
}

bool is_silent(const std::vector<float>& x, size_t at) {
    return std::all_of(x.begin() + static_cast<long>(at), x.begin() + static_cast<long>(at + kKey),
                       [](float s) { return s == 0.0f; });
}

}  // namespace

std::vector<Stretch> whole_stretches(const std::vector<float>& recorded, const std::vector<float>& played,
                                     size_t least) {
    std::unordered_map<std::uint64_t, size_t> places;
    for (size_t i = 0; i + kKey <= played.size(); ++i) {
        if (!is_silent(played, i)) places.emplace(key_at(played, i), i);
    }
    std::vector<Stretch> out;
    for (size_t at = 0; at + kKey <= recorded.size();) {
        const auto found = is_silent(recorded, at) ? places.end() : places.find(key_at(recorded, at));
        if (found == places.end()) {
            ++at;
            continue;
        }
        size_t n = 0;
        while (at + n < recorded.size() && found->second + n < played.size() &&
               std::abs(recorded[at + n] - played[found->second + n]) <= kSame)
            ++n;
        if (n >= least) out.push_back({at, n, found->second});
        at += std::max<size_t>(n, 1);
    }
    return out;
}

std::vector<float> where_both_are_whole(std::vector<float> plain, const std::vector<float>& beside,
                                        const std::vector<float>& played) {
    size_t from = 0;
    const auto silence_until = [&](size_t to) {
        for (; from < std::min(to, plain.size()); ++from) plain[from] = 0.0f;
    };
    for (const Stretch& s : whole_stretches(beside, played, 480)) {
        silence_until(s.first);
        from = std::max(from, s.first + s.length);
    }
    silence_until(plain.size());
    return plain;
}

std::vector<size_t> delays_between(const std::vector<float>& plain, const std::vector<float>& heard,
                                   const std::vector<float>& played, size_t least) {
    std::vector<size_t> out;
    const auto sources = whole_stretches(plain, played, least);
    for (const Stretch& h : whole_stretches(heard, played, least)) {
        for (const Stretch& s : sources) {
            if (h.played < s.played || h.played + least > s.played + s.length) continue;
            const size_t went_in = s.first + (h.played - s.played);
            if (h.first >= went_in) out.push_back(h.first - went_in);
            break;
        }
    }
    return out;
}

size_t align(const std::vector<float>& whole, const std::vector<float>& part, size_t first, size_t last) {
    constexpr size_t kStep = 4;  // every fourth sample finds the place as surely
    std::vector<double> energy(whole.size() + 1, 0.0);
    for (size_t i = 0; i < whole.size(); ++i)
        energy[i + 1] = energy[i] + static_cast<double>(whole[i]) * whole[i];
    double best = -1.0;
    size_t at = first;
    for (size_t lag = first; lag < last && lag + part.size() <= whole.size(); ++lag) {
        double sum = 0.0;
        for (size_t i = 0; i < part.size(); i += kStep) sum += static_cast<double>(whole[lag + i]) * part[i];
        sum /= std::sqrt(energy[lag + part.size()] - energy[lag] + 1e-12);
        if (sum > best) {
            best = sum;
            at = lag;
        }
    }
    return at;
}

Judged judge(const std::vector<float>& plain, const std::vector<float>& heard,
             const std::vector<float>& wanted, const std::vector<float>& played, const Judging& how) {
    Judged out;
    const auto residue = [&](const std::vector<float>& part, size_t lag) {
        double error = 0.0;
        for (size_t i = 0; i < part.size(); ++i) {
            const double d = lag + i < heard.size() ? heard[lag + i] - part[i] : part[i];
            error += d * d;
        }
        return db(std::sqrt(error / static_cast<double>(part.size())) / rms(part));
    };
    const auto all = whole_stretches(plain, played, 480);
    out.told = std::to_string(plain.size()) + " frames recorded; the source is whole in";
    for (const Stretch& s : all) out.told += " " + std::to_string(s.first) + "+" + std::to_string(s.length);
    out.told += "\n";
    struct Piece {
        std::vector<float> part;
        size_t at, delay;
        bool equal;
    };
    // Where the delay is another one before than after, the daemon has taken a cycle from our own streams,
    // though not from the recorder: such a piece begins as it goes on before and ends as it goes on after,
    // and but for what is between them it is as wanted.
    const auto cycle_was_lost = [&](const Piece& piece, size_t before, size_t after) {
        const auto n = static_cast<std::ptrdiff_t>(piece.part.size());
        const double close = 1e-4 * rms(piece.part) + 1e-6;
        const auto fits = [&](std::ptrdiff_t i, size_t delay) {
            const size_t k = piece.at + delay + static_cast<size_t>(i);
            return k < heard.size() && std::abs(heard[k] - piece.part[static_cast<size_t>(i)]) < close;
        };
        std::ptrdiff_t begin = 0, end = 0;
        while (begin < n && fits(begin, before)) ++begin;
        while (end < n && fits(n - 1 - end, after)) ++end;
        const auto apart = std::abs(static_cast<std::ptrdiff_t>(after) - static_cast<std::ptrdiff_t>(before));
        return before != after && begin + end + apart + 64 >= n;
    };
    size_t known = 0;  // the delay of the piece before is nearly always that of the next
    for (const Stretch& s : all) {
        std::vector<Piece> pieces;
        const size_t end = std::min(s.first + s.length, wanted.size());
        for (size_t at = s.first + how.settle; at + how.piece <= end; at += how.piece) {
            // What is cut off at the end of the recording can't be judged.
            if (at + how.piece + how.most_delay > heard.size()) break;
            if (s.played + s.length < played.size() && at + how.piece + kShaky > end) break;
            const std::vector<float> part(wanted.begin() + static_cast<long>(at),
                                          wanted.begin() + static_cast<long>(at + how.piece));
            if (rms(part) < 0.001) continue;
            double left = residue(part, at + known);
            if (left >= how.equal_db) {
                const size_t lag = align(heard, part, at, at + how.most_delay);
                if (const double other = residue(part, lag); other < left) {
                    left = other;
                    known = lag - at;
                }
            }
            pieces.push_back({part, at, known, left < how.equal_db});
            out.told += "at " + std::to_string(at) + ": " + std::to_string(left) + " dB, delay " +
                        std::to_string(known) + "\n";
        }
        for (size_t i = 0; i < pieces.size(); ++i) {
            const bool between = i > 0 && i + 1 < pieces.size() && pieces[i - 1].equal && pieces[i + 1].equal;
            if (!pieces[i].equal && between &&
                cycle_was_lost(pieces[i], pieces[i - 1].delay, pieces[i + 1].delay)) {
                out.told += "at " + std::to_string(pieces[i].at) + " a cycle was lost\n";
                continue;
            }
            ++out.pieces;
            if (!pieces[i].equal) continue;
            ++out.equal;
            out.delays.push_back(pieces[i].delay);
        }
    }
    return out;
}

void require_equal(const std::function<Judged()>& attempt, int enough) {
    Judged got;
    const auto begun = std::chrono::steady_clock::now();
    for (int tries = 1; tries <= 6; ++tries) {
        got = attempt();
        if (got.pieces >= enough || std::chrono::steady_clock::now() - begun > std::chrono::seconds(20))
            break;
        UNSCOPED_INFO("try " << tries << ": the source was whole in " << got.pieces << " pieces of " << enough
                             << " that are needed");
    }
    INFO(got.told);
    if (got.pieces < enough)
        FAIL("the daemon lost too many cycles in every recording: this machine's processor is taken away");
    CHECK(got.equal == got.pieces);
}

}  // namespace reed::test
