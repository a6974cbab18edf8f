#include "devices/pipewire_metadata.h"

#include <algorithm>
#include <cctype>
#include <nlohmann/json.hpp>

namespace reed {
namespace {

constexpr size_t kLongestValue = 4096;  // names are far shorter

bool contains(std::string text, const char* word) {
    std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return std::tolower(c); });
    return text.find(word) != std::string::npos;
}

}  // namespace

std::string default_name(const char* value) noexcept {
    if (value == nullptr) return {};
    const std::string_view text(value);
    if (text.size() > kLongestValue) return {};
    try {
        const auto json = nlohmann::json::parse(text, nullptr, false);
        if (!json.is_object()) return {};
        const auto name = json.find("name");
        return name != json.end() && name->is_string() ? name->get<std::string>() : std::string();
    } catch (const std::exception&) {
        return {};  // no memory, say: the daemon's thread must not end for it
    }
}

std::vector<std::string> channel_names(const char* position) noexcept {
    if (position == nullptr) return {};
    const std::string_view text(position);
    if (text.size() > kLongestValue) return {};
    try {
        std::vector<std::string> out;
        std::string name;
        const auto end_name = [&] {
            if (!name.empty()) out.push_back(std::move(name));
            name.clear();
        };
        for (const char c : text) {
            if (std::isalnum(static_cast<unsigned char>(c)) != 0)
                name += c;
            else if (std::string_view(" ,[]").find(c) != std::string_view::npos)
                end_name();
            else
                return {};
        }
        end_name();
        if (out.size() > kMostDeviceChannels) return {};
        return out;
    } catch (const std::exception&) {
        return {};
    }
}

bool looks_like_loudspeakers(const std::string& form_factor, const std::string& name,
                             const std::string& title) {
    if (!form_factor.empty()) {
        return form_factor == "speaker" || form_factor == "internal" || form_factor == "tv" ||
               form_factor == "hifi" || form_factor == "portable" || form_factor == "car";
    }
    for (const auto& text : {name, title}) {
        for (const char* word : {"head", "ear", "usb-c"}) {
            if (contains(text, word)) return false;
        }
    }
    for (const auto& text : {name, title}) {
        for (const char* word : {"speaker", "hdmi", "displayport", "television"}) {
            if (contains(text, word)) return true;
        }
    }
    return false;
}

}  // namespace reed
