#include "scenes/strict_json.h"

#include <simdjson.h>

#include <algorithm>
#include <utility>
#include <vector>

namespace reed {
namespace {

/// Builds a document from what the library's reader finds, and watches it.
class WatchedJson {
  public:
    using Json = nlohmann::ordered_json;
    explicit WatchedJson(size_t levels) : levels_(levels) {}
    Json take() { return std::move(root_); }

    bool null() { return value(nullptr); }
    bool boolean(bool v) { return value(v); }
    bool number_integer(Json::number_integer_t v) { return value(v); }
    bool number_unsigned(Json::number_unsigned_t v) { return value(v); }
    bool number_float(Json::number_float_t v, const std::string&) { return value(v); }
    bool string(std::string& v) { return value(std::move(v)); }
    bool binary(Json::binary_t& v) { return value(std::move(v)); }
    bool start_object(size_t) { return open(Json::object()); }
    bool start_array(size_t) { return open(Json::array()); }
    bool key(std::string& name) {
        look_at_depth();
        auto& members = object();
        // Grown seldom: its keys are copied then.
        if (members.size() == members.capacity()) members.reserve(std::max<size_t>(16, 4 * members.size()));
        members.emplace_back(std::move(name), Json());
        place_ = &members.back().second;
        return true;
    }
    bool end_object() {
        std::vector<std::string_view> keys;
        keys.reserve(object().size());
        for (const auto& member : object()) keys.emplace_back(member.first);
        std::ranges::sort(keys);
        if (const auto twice = std::ranges::adjacent_find(keys); twice != keys.end())
            throw RefusedJson{"The field \"" + std::string(*twice) + "\" is given twice."};
        return end_array();
    }
    bool end_array() {
        open_.pop_back();
        return true;
    }
    template <typename Exception>
    bool parse_error(size_t, const std::string&, const Exception& e) {
        throw e;
    }

  private:
    Json::object_t& object() { return open_.back()->get_ref<Json::object_t&>(); }
    void look_at_depth() const {
        if (open_.size() > levels_)
            throw RefusedJson{"is nested more than " + std::to_string(levels_) +
                              " levels deep; no file of ours is."};
    }
    /// Where it belongs: the root, behind the key that was read, or at the end of a list.
    template <typename Value>
    Json& put(Value&& v) {
        look_at_depth();
        if (open_.empty()) return root_ = Json(std::forward<Value>(v));
        if (open_.back()->is_object()) return *place_ = Json(std::forward<Value>(v));
        return open_.back()->get_ref<Json::array_t&>().emplace_back(std::forward<Value>(v));
    }
    template <typename Value>
    bool value(Value&& v) {
        put(std::forward<Value>(v));
        return true;
    }
    bool open(Json&& container) {
        open_.push_back(&put(std::move(container)));
        return true;
    }

    size_t levels_;
    Json root_;
    std::vector<Json*> open_;  // what is not closed yet: none of it grows but the last
    Json* place_ = nullptr;    // in the last one, for the key that was read
};

/// Passes the values of the quick reader on in the events of the other one.
void tell(simdjson::dom::element found, WatchedJson& to) {
    using Type = simdjson::dom::element_type;
    switch (found.type()) {
        case Type::OBJECT:
            to.start_object(0);
            for (const auto& [name, value] : simdjson::dom::object(found)) {
                std::string key(name);
                to.key(key);
                tell(value, to);
            }
            to.end_object();
            return;
        case Type::ARRAY:
            to.start_array(0);
            for (const auto value : simdjson::dom::array(found)) tell(value, to);
            to.end_array();
            return;
        case Type::STRING: {
            std::string text{std::string_view(found)};
            to.string(text);
            return;
        }
        case Type::INT64:
            if (const std::int64_t number(found); number < 0)
                to.number_integer(number);
            else
                to.number_unsigned(static_cast<std::uint64_t>(number));
            return;
        case Type::UINT64:
            to.number_unsigned(std::uint64_t(found));
            return;
        case Type::DOUBLE:
            to.number_float(double(found), {});
            return;
        case Type::BOOL:
            to.boolean(bool(found));
            return;
        case Type::NULL_VALUE:
            to.null();
    }
}

}  // namespace

nlohmann::ordered_json parse_with_position(std::string_view text, size_t levels) {
    WatchedJson watched(levels);
    nlohmann::ordered_json::sax_parse(text, &watched);
    return watched.take();
}

nlohmann::ordered_json parse_strict(std::string_view text, size_t levels) {
    // A new one each time: one that had found no memory once would write beside what it has the next time.
    simdjson::dom::parser parser;
    simdjson::dom::element root;
    if (parser.parse(text.data(), text.size()).get(root) != simdjson::SUCCESS)
        return parse_with_position(text, levels);
    WatchedJson watched(levels);
    tell(root, watched);
    return watched.take();
}

}  // namespace reed
