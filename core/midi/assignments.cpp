#include "midi/assignments.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/file.h"
#include "scenes/strict_json.h"

namespace reed {
namespace {

using Json = nlohmann::ordered_json;
constexpr const char* kFormat = "dusky-reed-midi";
constexpr int kVersion = 1;
constexpr size_t kMaxDepth = 8, kLongest = 300;

/// Text of a field; empty if it is missing or no text.
std::string text_of(const Json& from, const char* field) {
    const auto at = from.find(field);
    return at != from.end() && at->is_string() ? at->get<std::string>() : std::string();
}

Result<MidiAssignment> read(const Json& from) {
    if (!from.is_object()) return Error{"is no assignment.", "", ""};
    MidiAssignment out;
    const auto channel = from.find("channel");
    if (channel == from.end() || !channel->is_number_integer() || *channel < 1 || *channel > 16)
        return Error{"has no channel from 1 to 16.", "", ""};
    const auto control = parse_midi_control(text_of(from, "control"), channel->get<int>());
    if (!control)
        return Error{"has no control such as \"note 36\", \"controller 21\" or \"pitch bend\".", "", ""};
    out.control = *control;
    if (from.contains("coding")) {
        const auto coding = parse_midi_coding(text_of(from, "coding"));
        if (!coding)
            return Error{"has a coding other than absolute, twos_complement, offset and sign_magnitude.", "",
                         ""};
        out.coding = *coding;
    }
    if (out.coding != MidiCoding::absolute && out.control.kind != MidiControl::Kind::controller)
        return Error{"has a relative coding, which only controllers have.", "", ""};
    out.action = text_of(from, "action");
    out.value = text_of(from, "value");
    if (out.action.empty() == out.value.empty())
        return Error{"needs either an \"action\" or a \"value\".", "", ""};
    if (std::max(out.action.size(), out.value.size()) > kLongest)
        return Error{"is longer than " + std::to_string(kLongest) + " characters.", "", ""};
    if (!out.value.empty() && !out.control.has_position())
        return Error{"assigns a note or program to a value; assign a controller.", "", ""};
    return out;
}

}  // namespace

Result<MidiFile> parse_midi_file(std::string_view json) {
    try {
        const Json root = parse_strict(json, kMaxDepth);
        if (!root.is_object() || text_of(root, "format") != kFormat)
            return Error{"is no file of MIDI assignments.", "", ""};
        if (root.value("version", 0) != kVersion)
            return Error{"was written by another version of Dusky Reed.", "", "Update Dusky Reed."};
        MidiFile out;
        out.assignments.device = text_of(root, "device");
        if (out.assignments.device.empty() || out.assignments.device.size() > kLongest)
            return Error{"names no device.", "", ""};
        const auto all = root.find("assignments");
        if (all == root.end() || !all->is_array()) return Error{"has no list of assignments.", "", ""};
        for (size_t i = 0; i < all->size(); ++i) {
            const std::string where = "assignments[" + std::to_string(i) + "]";
            if (out.assignments.all.size() >= kMaxMidiAssignments) {
                out.left_out.push_back(
                    {"is above the limit of " + std::to_string(kMaxMidiAssignments) + ".", where, ""});
                break;
            }
            auto one = read((*all)[i]);
            if (!one.ok()) {
                out.left_out.push_back({one.error().what, where, ""});
                continue;
            }
            const auto same = [&](const MidiAssignment& a) { return a.control == one.value().control; };
            if (std::ranges::any_of(out.assignments.all, same))
                out.left_out.push_back({"assigns a control that has an assignment.", where, ""});
            else
                out.assignments.all.push_back(std::move(one.value()));
        }
        return out;
    } catch (const RefusedJson& refused) {
        return Error{refused.what, "", ""};
    } catch (const Json::exception&) {
        return Error{"is no valid JSON.", "", ""};
    }
}

Result<MidiFile> load_midi_file(const std::filesystem::path& path) {
    const auto bytes = read_file(path, kMaxMidiFileBytes);
    if (!bytes.ok()) return bytes.error();
    auto out = parse_midi_file(bytes.value());
    if (!out.ok()) return Error{out.error().what, path.string(), out.error().remedy};
    return out;
}

std::string write_midi_file(const MidiDeviceAssignments& assignments) {
    Json all = Json::array();
    for (const MidiAssignment& a : assignments.all) {
        Json one{{"control", to_text(a.control)}, {"channel", a.control.channel}};
        if (a.coding != MidiCoding::absolute) one["coding"] = to_text(a.coding);
        one[a.value.empty() ? "action" : "value"] = a.value.empty() ? a.action : a.value;
        all.push_back(std::move(one));
    }
    const Json root{{"format", kFormat},
                    {"version", kVersion},
                    {"device", assignments.device},
                    {"assignments", std::move(all)}};
    return root.dump(2) + "\n";
}

}  // namespace reed
