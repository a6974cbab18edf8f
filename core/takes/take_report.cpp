#include "takes/take_report.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/decibel.h"
#include "measure/spectrum.h"
#include "stages/registry.h"

namespace reed {
namespace {

constexpr int kLength = 8192;  // of the spectrum's transforms
constexpr double kShare = 1.0 / 6.0, kLowest = 30.0, kHighest = 18000.0;
constexpr int kWidth = 900, kHeight = 190;
constexpr double kFloor = -90.0;  // dBFS, of the plots

// The plots have their looks in themselves: not every program that prints a page gives them those of the
// page.
constexpr const char* kStyle =
    "@page{margin:12mm}\n"
    "body{font:14px/1.35 Lato,sans-serif;color:#2b2530;max-width:900px;margin:16px auto;padding:0 16px}\n"
    "h1{font-size:22px;margin:0}h2{font-size:16px;margin:14px 0 4px}p{color:#6a6170;margin:2px 0}\n"
    "table{border-collapse:collapse}th{text-align:left;font-weight:normal;padding-right:28px}\n"
    "td{text-align:right;padding:0 14px}td:last-child{color:#6a6170}svg{width:100%;height:auto}\n";

SoundMeasures measured(AudioBuffer& sound, double rate) {
    FileMeasure measure({rate, sound.channels()});
    constexpr size_t kPiece = 8192;
    for (size_t done = 0; done < sound.frames(); done += kPiece)
        measure.add(sound.block(done, static_cast<int>(std::min(kPiece, sound.frames() - done))));
    return measure.result();
}

void course_of(const LevelStatistics& levels, const ChainSpec& chain, TakeTimeline& out) {
    const auto along = [&](size_t tap, bool reduction) {
        std::vector<float> values;
        for (const TapFrame& f : levels.frames(tap)) {
            const auto at = static_cast<size_t>(std::max<std::int64_t>(0, f.index));
            if (at >= values.size()) values.resize(at + 1, reduction ? 0.0f : -200.0f);
            values[at] = reduction ? f.reduction_db : static_cast<float>(mean_square_to_dbfs(f.mean_square));
        }
        return values;
    };
    out.plain = along(0, false);
    out.made = along(levels.taps() - 1, false);
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        const StageKind& kind = chain.stages[i].stage_kind();
        const bool reports = kind.reports_reduction && !chain.stages[i].bypass;
        out.reductions.push_back(reports ? along(i + 1, true) : std::vector<float>());
        if (!kind.closes_in_pauses || chain.stages[i].bypass) continue;
        for (const TruncatedWord& cut : levels.truncated_words(i))
            out.cuts.push_back({static_cast<double>(cut.index) * TakeTimeline::kStep, i, cut.beginning});
    }
    std::ranges::sort(out.cuts, {}, &TakeTimeline::Cut::at);
}

// ---- the page ----

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        switch (c) {
            case '&':
                out += "&amp;";
                break;
            case '<':
                out += "&lt;";
                break;
            case '>':
                out += "&gt;";
                break;
            case '"':
                out += "&quot;";
                break;
            default:
                out += c;
        }
    }
    return out;
}

std::string number(const std::optional<double>& v, int decimals = 1) {
    if (!v || *v < -150.0) return "-";
    char out[32];
    std::snprintf(out, sizeof out, "%.*f", decimals, *v);
    return out;
}

std::string points(const std::vector<std::pair<double, double>>& at) {
    std::string out;
    char one[48];
    for (const auto& [x, y] : at) {
        std::snprintf(one, sizeof one, "%.1f,%.1f ", x, y);
        out += one;
    }
    return out;
}

/// Highest value of each column.
std::vector<std::pair<double, double>> line(const std::vector<float>& values, double top, double bottom) {
    std::vector<std::pair<double, double>> out;
    const size_t columns = std::min<size_t>(kWidth, values.size());
    for (size_t c = 0; c < columns; ++c) {
        const size_t from = c * values.size() / columns, end = (c + 1) * values.size() / columns;
        const double v =
            static_cast<double>(*std::max_element(values.begin() + static_cast<std::ptrdiff_t>(from),
                                                  values.begin() + static_cast<std::ptrdiff_t>(end)));
        const double y = kHeight * (top - std::clamp(v, bottom, top)) / (top - bottom);
        out.emplace_back(static_cast<double>(c) * kWidth / static_cast<double>(columns), y);
    }
    return out;
}

std::string plot(const std::string& content, const std::string& label) {
    return "<svg viewBox=\"-44 -6 " + std::to_string(kWidth + 60) + " " + std::to_string(kHeight + 30) +
           "\" role=\"img\" aria-label=\"" + label + "\">\n<rect width=\"" + std::to_string(kWidth) +
           "\" height=\"" + std::to_string(kHeight) + "\" fill=\"#f3eff4\"/>\n" + content + "</svg>\n";
}

std::string text(double x, double y, const std::string& words, const char* anchor = "end") {
    char at[112];
    std::snprintf(at, sizeof at,
                  "<text x=\"%.1f\" y=\"%.1f\" font-size=\"11\" fill=\"#6a6170\" text-anchor=\"", x, y);
    return at + std::string(anchor) + "\">" + words + "</text>\n";
}

std::string level_grid(double top, double bottom) {
    std::string out;
    for (double db = top; db >= bottom; db -= 20.0) {
        const double y = kHeight * (top - db) / (top - bottom);
        out += "<path stroke=\"#ddd5df\" fill=\"none\" d=\"M0 " + number(y) + "H" + std::to_string(kWidth) +
               "\"/>\n" + text(-6, y + 4, number(db, 0));
    }
    return out;
}

std::string time_plot(const TakeReport& r, double seconds) {
    std::string out = level_grid(0.0, kFloor);
    const auto area = [](const std::vector<std::pair<double, double>>& at) {
        return "0," + std::to_string(kHeight) + " " + points(at) + std::to_string(kWidth) + "," +
               std::to_string(kHeight);
    };
    out += "<polygon fill=\"#b9c2cb\" points=\"" + area(line(r.course.plain, 0.0, kFloor)) + "\"/>\n";
    out += "<polygon fill=\"#c9a45a\" fill-opacity=\"0.75\" points=\"" +
           area(line(r.course.made, 0.0, kFloor)) + "\"/>\n";
    for (const auto& reduction : r.course.reductions) {
        if (reduction.empty()) continue;
        std::vector<float> falls(reduction.size());
        std::ranges::transform(reduction, falls.begin(), [](float db) { return -db; });
        out += "<polyline fill=\"none\" stroke=\"#4a8a5c\" stroke-width=\"1.4\" points=\"" +
               points(line(falls, 0.0, kFloor)) + "\"/>\n";
    }
    for (const auto& cut : r.course.cuts) {
        const double x = cut.at / std::max(0.01, seconds) * kWidth;
        out += "<path stroke=\"#b3491c\" stroke-width=\"2\" d=\"M" + number(x) + " " +
               std::to_string(kHeight - 30) + "V" + std::to_string(kHeight) + "\"/>\n";
    }
    const double step = seconds > 120.0 ? 60.0 : seconds > 20.0 ? 10.0 : seconds > 4.0 ? 2.0 : 0.5;
    for (double s = 0.0; s <= seconds; s += step)
        out += text(s / std::max(0.01, seconds) * kWidth, kHeight + 16, number(s, step < 1.0 ? 1 : 0) + " s",
                    "middle");
    return plot(out, "Level along time, before and after");
}

std::string spectrum_plot(const TakeReport& r) {
    const auto x = [](double hz) { return kWidth * std::log(hz / kLowest) / std::log(kHighest / kLowest); };
    constexpr double kTop = -10.0, kBottom = -110.0;
    const auto y = [=](double db) {
        return kHeight * (kTop - std::clamp(db, kBottom, kTop)) / (kTop - kBottom);
    };
    std::string out = level_grid(kTop, kBottom);
    for (const double hz : {50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0})
        out +=
            text(x(hz), kHeight + 16, hz < 1000.0 ? number(hz, 0) : number(hz / 1000.0, 0) + " k", "middle");
    std::vector<std::pair<double, double>> before, after;
    for (const auto& [hz, db] : r.spectrum) {
        before.emplace_back(x(hz), y(db.first));
        after.emplace_back(x(hz), y(db.second));
    }
    out += "<polyline fill=\"none\" stroke=\"#7a8896\" stroke-width=\"1.6\" points=\"" + points(before) +
           "\"/>\n";
    out +=
        "<polyline fill=\"none\" stroke=\"#a8802c\" stroke-width=\"2\" points=\"" + points(after) + "\"/>\n";
    return plot(out, "Spectrum in 1/6-octave bands, before and after");
}

}  // namespace

std::vector<float> waveform_peaks(const std::filesystem::path& path, size_t columns) {
    auto opened = SoundReader::open(path);
    if (!opened.ok()) return {};
    SoundReader& reader = *opened.value();
    std::vector<float> out(columns, 0.0f);
    AudioBuffer piece(reader.info().channels, 16384);
    const auto all = static_cast<double>(reader.info().frames);
    double at = 0.0;
    for (size_t n = reader.read(piece); n > 0; n = reader.read(piece)) {
        for (size_t i = 0; i < n; ++i, ++at) {
            const auto column = static_cast<size_t>(at / all * static_cast<double>(columns));
            float& highest = out[std::min(column, columns - 1)];
            for (int c = 0; c < piece.channels(); ++c) highest = std::max(highest, std::abs(piece[c][i]));
        }
    }
    return out;
}

Result<TakeReport> report_on(const AudioBuffer& sound, double sample_rate, const ChainSpec& chain,
                             const Progress& progress) {
    TakeReport out;
    AudioBuffer made;
    auto levels = sound_levels(chain, sound, sample_rate, part_of(progress, 0.0, 0.9), &made);
    if (!levels.ok()) return levels.error();
    out.levels = levels.value().report();
    course_of(levels.value(), chain, out.course);
    AudioBuffer plain = sound;
    out.plain = measured(plain, sample_rate);
    out.made = measured(made, sample_rate);
    SpectrumMeter before(sample_rate, kLength, 1e6), after(sample_rate, kLength, 1e6);
    before.add(plain[0]);
    after.add(made[0]);
    for (double hz = kLowest; hz < std::min(kHighest, 0.45 * sample_rate); hz *= std::exp2(kShare / 2.0))
        out.spectrum.push_back({hz,
                                {before.level(hz, kShare, SpectrumWidth::octave_share),
                                 after.level(hz, kShare, SpectrumWidth::octave_share)}});
    return out;
}

std::string report_page(const TakeReport& r, const Take& take, const ChainSpec& chain,
                        const std::string& scene) {
    const bool whole = take.seconds() < r.plain.duration_s + 1.0;
    const std::string length =
        whole ? number(r.plain.duration_s) + " s"
              : "The first " + number(r.plain.duration_s, 0) + " s of " + number(take.seconds(), 0) + " s";
    const TapLevels none;
    const TapLevels& in = r.levels.taps.empty() ? none : r.levels.taps.front();
    const TapLevels& out = r.levels.taps.empty() ? none : r.levels.taps.back();
    std::string rows;
    const auto row = [&](const std::string& what, const std::string& before, const std::string& after,
                         const std::string& unit) {
        rows += "<tr><th>" + what + "</th><td>" + before + "</td><td>" + after + "</td><td>" + unit +
                "</td></tr>\n";
    };
    const auto known = [](bool is, double v) { return is ? std::optional(v) : std::nullopt; };
    const auto distance = [](const TapLevels& l) {
        return l.room_known && l.voice_known ? std::optional(l.voice - l.room) : std::nullopt;
    };
    row("Loudness", number(r.plain.integrated_lufs), number(r.made.integrated_lufs), "LUFS (ITU-R BS.1770)");
    row("Loudness range", number(r.plain.loudness_range_lu), number(r.made.loudness_range_lu),
        "LU (EBU Tech 3342)");
    row("True peak", number(r.plain.true_peak_dbtp), number(r.made.true_peak_dbtp), "dBTP");
    row("Typical speech level", number(known(in.voice_known, in.voice)),
        number(known(out.voice_known, out.voice)), "dBFS");
    row("Typical noise level", number(known(in.room_known, in.room)), number(known(out.room_known, out.room)),
        "dBFS");
    row("Speech above noise", number(distance(in)), number(distance(out)), "dB");
    row("Clipped samples", std::to_string(r.plain.clipped_samples), std::to_string(r.made.clipped_samples),
        "");
    std::string stages;
    for (size_t i = 0; i < chain.stages.size(); ++i) {
        const StageSpec& s = chain.stages[i];
        std::string what = "-", deepest = "-";
        if (i < r.levels.stages.size() && s.stage_kind().reports_reduction && !s.bypass) {
            what = number(r.levels.stages[i].usual);
            deepest = number(r.levels.stages[i].deepest);
        }
        const auto cuts =
            std::ranges::count_if(r.course.cuts, [&](const TakeTimeline::Cut& c) { return c.stage == i; });
        stages += "<tr><th>";
        stages += escaped(s.shown_title());
        stages += s.bypass ? " (bypassed)</th><td>" : "</th><td>";
        stages += what;
        stages += "</td><td>";
        stages += deepest;
        stages += "</td><td>";
        stages += cuts > 0 ? std::to_string(cuts) : "-";
        stages += "</td></tr>\n";
    }
    return "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>" +
           escaped(take.notes.name) + "</title>\n<style>\n" + kStyle + "</style></head><body>\n<h1>" +
           escaped(take.notes.name) + "</h1>\n<p>" + length +
           (take.notes.date.empty() ? "" : ", " + escaped(take.notes.date)) +
           (take.notes.device.empty() ? "" : ", " + escaped(take.notes.device)) +
           "</p>\n<p>Scene: " + escaped(scene) +
           "</p>\n<h2>Before and after</h2>\n<table><tr><th></th><td>before</td><td>after</td><td>"
           "</td></tr>\n" +
           rows +
           "</table>\n<h2>Level over time (grey: before, yellow: after, green: reduction of each "
           "stage)</h2>\n" +
           time_plot(r, r.plain.duration_s) +
           "<h2>Spectrum in 1/6-octave bands, dBFS (grey: before, yellow: after)</h2>\n" + spectrum_plot(r) +
           "<h2>Stages</h2>\n<table><tr><th></th><td>typical reduction, dB</td><td>max reduction, "
           "dB</td><td>words cut off</td></tr>\n" +
           stages + "</table>\n</body></html>\n";
}

}  // namespace reed
