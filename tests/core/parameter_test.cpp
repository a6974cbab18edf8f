#include <catch2/catch.hpp>
#include <cmath>
#include <set>

#include "stages/registry.h"

using namespace reed;

namespace {
const Parameter& row(const char* kind, const char* id) {
    const StageKind* k = find_stage_kind(kind);
    return k->parameters[static_cast<size_t>(k->find(id))];
}
}  // namespace

TEST_CASE("every kind that comes with the program names only parameters that it has", "[parameter]") {
    for (const auto* kind : stage_kinds()) {
        INFO(kind->id);
        CHECK(stage_kind_problem(*kind).empty());
    }
}

TEST_CASE("typed values are read with their units", "[parameter]") {
    const Parameter& hertz = row("equalizer", "band2_frequency");
    CHECK(parse_value(hertz, "4k").value() == 4000.0);
    CHECK(parse_value(hertz, " 4.5 kHz ").value() == 4500.0);
    CHECK(parse_value(hertz, "250Hz").value() == 250.0);
    const Parameter& threshold = row("compressor", "threshold");
    CHECK(parse_value(threshold, "-18").value() == -18.0);
    CHECK(parse_value(threshold, "-18,5 dB").value() == -18.5);
    CHECK(parse_value(threshold,
                      "\xe2\x88\x92"
                      "18")
              .value() == -18.0);
    CHECK(parse_value(row("compressor", "ratio"), "6:1").value() == 6.0);
    CHECK(parse_value(row("compressor", "mix"), "50 %").value() == 50.0);
    const Parameter& release = row("compressor", "release");
    CHECK(parse_value(release, "120 ms").value() == 120.0);
    CHECK(parse_value(release, "0.12 s").value() == Approx(120.0));
    CHECK(parse_value(row("compressor", "detection"), "RMS").value() == 1.0);
    CHECK(parse_value(row("compressor", "auto_makeup"), "on").value() == 1.0);
}

TEST_CASE("bad text is refused with the reason", "[parameter]") {
    const Parameter& ratio = row("compressor", "ratio");
    for (const char* text : {"", "  ", "loud", "4:2", "nan", "inf", "1e999", "--3", "3 Hz", "0.5", "45"}) {
        const auto parsed = parse_value(ratio, text);
        INFO(text);
        REQUIRE_FALSE(parsed.ok());
        CHECK(parsed.error().text().find("Ratio") == 0);
    }
    CHECK(parse_value(ratio, "45").error().what == "Ratio 45.0:1 is outside 1.0:1 to 20.0:1.");
}

TEST_CASE("values are shown with units and read back as shown", "[parameter]") {
    CHECK(format_value(row("equalizer", "band2_frequency"), 4000) == "4.00 kHz");
    CHECK(format_value(row("equalizer", "band2_frequency"), 74) == "74.0 Hz");
    CHECK(format_value(row("gate", "hold"), 200) == "200 ms");
    CHECK(format_value(row("gain", "gain"), -0.01) == "0.0 dB");
    CHECK(format_value(row("gate", "open_threshold"), -46) == "-46.0 dBFS");
    for (const auto* kind : stage_kinds()) {
        for (const auto& p : kind->parameters) {
            for (int i = 0; i <= 10; ++i) {
                const double v = position_to_value(p, i / 10.0);
                INFO(kind->id << "." << p.id << " " << v << " " << format_value(p, v));
                REQUIRE_FALSE(value_problem(p, v));
                const auto back = parse_value(p, format_value(p, v));
                REQUIRE(back.ok());
                // As shown: to the last figure on the screen.
                CHECK(format_value(p, back.value()) == format_value(p, v));
            }
        }
    }
}

TEST_CASE("every table is sound", "[parameter]") {
    for (const auto* kind : stage_kinds()) {
        std::set<std::string> ids;
        for (const auto& p : kind->parameters) {
            INFO(kind->id << "." << p.id);
            CHECK(ids.insert(std::string(p.id)).second);
            CHECK_FALSE(p.title.empty());
            CHECK_FALSE(p.hint.empty());
            CHECK(p.minimum < p.maximum);
            CHECK_FALSE(value_problem(p, p.default_value));
            CHECK((p.scale != Scale::logarithmic || p.minimum > 0.0));
            CHECK((p.kind != ValueKind::choice || p.choices.size() >= 2));
            CHECK((p.mark == DiagramMark::none || p.unit == Unit::dbfs));
        }
    }
}

TEST_CASE("values that are no number or outside their range are named", "[parameter]") {
    const Parameter& p = row("gate", "attack");
    CHECK(value_problem(p, NAN));
    CHECK(value_problem(p, INFINITY));
    CHECK(value_problem(p, 0.01)->find("Attack") == 0);
    CHECK(value_problem(row("compressor", "detection"), 0.5));
    CHECK_FALSE(value_problem(p, 0.1));
}

TEST_CASE("steps follow the scale and stay in range", "[parameter]") {
    const Parameter& hertz = row("equalizer", "band2_frequency");
    CHECK(step_value(hertz, 1000, 6, false) == Approx(2000));
    CHECK(step_value(hertz, 20000, 1, false) == 20000);
    const Parameter& gain = row("gain", "gain");
    CHECK(step_value(gain, 0, 1, false) == Approx(1.0));
    CHECK(step_value(gain, 0, 1, true) == Approx(0.1));
    CHECK(step_value(gain, 30, 5, false) == 30);
}
