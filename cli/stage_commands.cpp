#include "stage_commands.h"

#include <algorithm>
#include <cstdio>
#include <iostream>
#include <memory>
#include <set>

#include "common.h"
#include "stages/registry.h"

namespace reed::cli {
namespace {

const char* unit_name(Unit unit) {
    switch (unit) {
        case Unit::decibel:
            return "dB";
        case Unit::dbfs:
            return "dBFS";
        case Unit::hertz:
            return "Hz";
        case Unit::milliseconds:
            return "ms";
        case Unit::ratio:
            return ":1";
        case Unit::percent:
            return "%";
        case Unit::quality:
            return "Q";
        case Unit::semitones:
            return "st";
        case Unit::count:
        case Unit::none:
            break;
    }
    return "";
}

Json parameter_json(const Parameter& p) {
    Json out;
    out["id"] = p.id;
    out["title"] = p.title;
    out["hint"] = p.hint;
    if (!p.group.empty()) out["group"] = p.group;
    if (p.kind == ValueKind::toggle) {
        out["type"] = "toggle";
        out["default"] = p.default_value >= 0.5;
        return out;
    }
    if (p.kind == ValueKind::choice) {
        out["type"] = "choice";
        out["choices"] = Json::array();
        for (const auto& c : p.choices) out["choices"].push_back({{"id", c.id}, {"title", c.title}});
        out["default"] = p.choices[static_cast<size_t>(p.default_value)].id;
        return out;
    }
    out["type"] = "number";
    out["unit"] = unit_name(p.unit);
    out["minimum"] = p.minimum;
    out["maximum"] = p.maximum;
    out["default"] = p.default_value;
    out["scale"] = p.scale == Scale::logarithmic ? "logarithmic" : "linear";
    return out;
}

int list_json() {
    Json list = Json::array();
    for (const auto* kind : stage_kinds()) {
        Json stage;
        stage["kind"] = kind->id;
        stage["title"] = kind->title;
        stage["purpose"] = kind->purpose;
        stage["parameters"] = Json::array();
        for (const auto& p : kind->parameters) stage["parameters"].push_back(parameter_json(p));
        list.push_back(std::move(stage));
    }
    std::cout << Json{{"stages", list}}.dump(2) << "\n";
    return 0;
}

std::string cell(std::string_view text) {
    std::string out;
    for (const char c : text) out += c == '|' ? std::string("\\|") : std::string(1, c);
    return out;
}

/// "-80 to 0 dBFS", "on or off", "Adaptive, Neural, Noise profile".
std::string range_text(const Parameter& p) {
    if (p.kind == ValueKind::toggle) return "on or off";
    if (p.kind == ValueKind::choice) {
        std::string out;
        for (const Choice& c : p.choices) out += (out.empty() ? "" : ", ") + std::string(c.title);
        return out;
    }
    return format_value(p, p.minimum) + " to " + format_value(p, p.maximum);
}

void print_row(const Parameter& p) {
    std::cout << "| " << cell(p.title) << " | `" << p.id << "` | " << cell(range_text(p)) << " | "
              << cell(format_value(p, p.default_value)) << " | " << cell(p.hint) << " |\n";
}

/// The reference page of a kind. Parameters that repeat for every band are listed once, for the first band.
void print_page(const StageKind& kind) {
    constexpr const char* kHead =
        "| parameter | id | range | default | what it does |\n|---|---|---|---|---|\n";
    std::cout << "# " << kind.title << "\n\n"
              << kind.purpose << ".\n\nId in scene files: `" << kind.id << "`";
    if (kind.accepts_sidechain) std::cout << ". Can use another strip as sidechain";
    if (kind.reports_reduction) std::cout << ". Shows its gain reduction";
    std::cout << ".\n\n";
    std::vector<std::string_view> groups;
    bool headed = false;
    for (const Parameter& p : kind.parameters) {
        if (!p.group.empty()) {
            if (std::ranges::find(groups, p.group) == groups.end()) groups.push_back(p.group);
            continue;
        }
        if (!headed) std::cout << kHead;
        headed = true;
        print_row(p);
    }
    if (!groups.empty()) {
        std::cout << (headed ? "\n" : "") << "Each of " << groups.front() << " to " << groups.back()
                  << " has these parameters (ids and defaults of " << groups.front() << "):\n\n"
                  << kHead;
        for (const Parameter& p : kind.parameters)
            if (p.group == groups.front()) print_row(p);
    }
    if (!kind.readouts.empty()) {
        std::cout << "\nMeasured while it runs:\n\n";
        std::set<std::string_view> once;
        for (const Readout& r : kind.readouts)
            if (once.insert(r.title).second) std::cout << "- " << r.title << "\n";
    }
}

struct Options {
    bool json = false;
    std::string page;
};

int stages_command(const Options& o) {
    if (o.json) return list_json();
    if (!o.page.empty()) {
        const StageKind* kind = find_stage_kind(o.page);
        if (kind == nullptr) return refuse({"is not a stage kind.", o.page, "List the kinds with “stages”."});
        print_page(*kind);
        return 0;
    }
    for (const auto* kind : stage_kinds())
        std::printf("%-12s %s\n", std::string(kind->id).c_str(), std::string(kind->purpose).c_str());
    return 0;
}

}  // namespace

std::vector<std::pair<CLI::App*, std::function<int()>>> stage_commands(CLI::App& app) {
    const auto o = std::make_shared<Options>();
    auto* stages = app.add_subcommand("stages", "List all stage types and their parameters");
    stages->add_flag("--json", o->json, "Print JSON");
    stages->add_option("--markdown", o->page, "Print the reference page of this kind (its id) as Markdown")
        ->type_name("KIND");
    return {{stages, [o] { return stages_command(*o); }}};
}

}  // namespace reed::cli
