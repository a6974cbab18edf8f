// Text that any program may have put into the daemon.
#include <catch2/catch.hpp>
#include <string>

#include "devices/pipewire_metadata.h"

using namespace reed;

TEST_CASE("the default device's name is read from what the session manager writes, and from nothing else",
          "[devices]") {
    CHECK(default_name(R"({"name":"desk_mic"})") == "desk_mic");
    CHECK(default_name(R"({ "name": "desk_mic", "more": [1, 2] })") == "desk_mic");
    for (const char* other : {R"({"name":5})", R"({"name":null})", R"({"name":{"name":"x"}})",
                              R"({"title":"x"})", R"(["name"])", "\"name\"", "5", "", "{", "\xff\xfe"}) {
        INFO(other);
        CHECK(default_name(other).empty());
    }
    CHECK(default_name(nullptr).empty());
    CHECK(default_name(std::string(100'000, '[').c_str()).empty());
    CHECK(default_name((R"({"name":")" + std::string(100'000, 'a') + R"("})").c_str()).empty());
}

TEST_CASE("the channels of a device are read from what the daemon writes, and from nothing else",
          "[devices]") {
    const std::vector<std::string> two{"FL", "FR"};
    CHECK(channel_names("[ FL FR ]") == two);
    CHECK(channel_names("FL,FR") == two);
    CHECK(channel_names("[FL, FR]") == two);
    CHECK(channel_names("MONO") == std::vector<std::string>{"MONO"});
    CHECK(channel_names("[ AUX0 AUX1 AUX2 AUX10 ]").back() == "AUX10");
    std::string many;
    for (int i = 0; i < 64; ++i) many += "AUX" + std::to_string(i) + ",";
    CHECK(channel_names(many.c_str()).size() == 64);
    many += "AUX64";
    CHECK(channel_names(many.c_str()).empty());
    CHECK(channel_names(nullptr).empty());
    for (const char* other : {"", "[]", "FL;FR", "{\"FL\":1}", "\xff\xfe", "FL\nFR"}) {
        INFO(other);
        CHECK(channel_names(other).empty());
    }
    CHECK(channel_names(std::string(100'000, 'A').c_str()).empty());
}
