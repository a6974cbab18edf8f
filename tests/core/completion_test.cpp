// Manual page and completions, as a shell and as man use them.
#include <catch2/catch.hpp>
#include <set>
#include <sstream>

#include "base/file.h"
#include "support/command.h"
#include "support/signals.h"

using namespace reed;
using namespace reed::test;

namespace {

std::string cli(std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), REED_CLI);
    const CommandResult r = run_command(arguments);
    INFO(r.err);
    REQUIRE(r.status == 0);
    return r.out;
}

using Words = std::set<std::string>;

/// The first word of every line.
Words first_words(const std::string& text) {
    Words out;
    std::istringstream lines(text);
    for (std::string line; std::getline(lines, line);) {
        if (const auto word = line.substr(0, line.find_first_of("\t:")); !word.empty()) out.insert(word);
    }
    return out;
}

/// What `shell` prints for `script`, which gets the completion script as $1.
Words completed(const std::string& shell, const std::string& script) {
    const TemporaryFolder folder;
    const std::string file = folder.path("completion");
    REQUIRE(write_file(file, cli({"completion", shell})).ok());
    const std::vector<std::string> command =
        shell == "fish" ? std::vector<std::string>{"/usr/bin/fish", "-N", "-c", script, file}
                        : std::vector<std::string>{"/usr/bin/" + shell, "-c", script, shell, file};
    const CommandResult r = run_command(command);
    INFO(shell << ": " << r.err);
    CHECK(r.status == 0);
    CHECK(r.err.empty());
    return first_words(r.out);
}

/// What bash offers for these words, of which the last one is being typed.
Words in_bash(const std::string& words) {
    return completed("bash", "compopt() { :; }; source \"$1\"; COMP_WORDS=(dusky-reed-cli " + words +
                                 "); COMP_CWORD=$((${#COMP_WORDS[@]} - 1)); _dusky_reed_cli; "
                                 "printf '%s\\n' \"${COMPREPLY[@]}\"");
}

Words in_fish(const std::string& line) {
    return completed("fish", "source $argv[1]; complete -C 'dusky-reed-cli " + line + "'");
}

/// What zsh hands to the functions that show the choices: descriptions of commands, or specifications of
/// options.
Words in_zsh(const std::string& words) {
    return completed(
        "zsh",
        "compdef() { : }; _describe() { print -rl -- ${(P)2} }; _arguments() { print -rl -- $@ }; "
        "source $1; words=(dusky-reed-cli " +
            words + "); CURRENT=${#words}; _dusky_reed_cli");
}

bool holds(const Words& words, const std::string& beginning) {
    return std::ranges::any_of(words, [&](const std::string& w) { return w.starts_with(beginning); });
}

}  // namespace

TEST_CASE("each shell completes commands, options and values of the command line", "[cli]") {
    const Words commands = first_words(cli({"--help"}).substr(cli({"--help"}).find("Subcommands:")));
    const Words offered = in_bash("''");
    CHECK(offered.size() > 12);
    for (const std::string& word : offered) {
        INFO(word);
        if (!word.starts_with("--")) CHECK(holds(commands, "  " + word));
    }
    CHECK(in_bash("soun") == Words{"soundcheck"});
    const Words of_scene{"adapt", "check", "learn", "pack", "schema", "set-reference", "unpack"};
    CHECK(in_bash("scene ''") == of_scene);
    CHECK(in_bash("render --sam") == Words{"--samples"});
    CHECK(in_bash("scene unpack --fol") == Words{"--folder"});
    const Words samples{"auto", "24", "float"};
    CHECK(in_bash("render --samples ''") == samples);
    const Words shells{"bash", "fish", "zsh"};
    CHECK(in_bash("completion ''") == shells);
    // Nothing of ours: the shell completes names of files.
    CHECK(in_bash("render --scene ''").empty());
    CHECK(in_bash("scene check ''").empty());

    CHECK(in_fish("soun") == Words{"soundcheck"});
    CHECK(in_fish("scene ") == of_scene);
    CHECK(in_fish("render --sam") == Words{"--samples"});
    CHECK(in_fish("render --samples ") == samples);
    CHECK(in_fish("completion ") == shells);
    CHECK(in_fish("stages ").empty());

    CHECK(holds(in_zsh("''"), "soundcheck"));
    CHECK(in_zsh("scene ''") == of_scene);
    CHECK(holds(in_zsh("render --sam"), "--samples[Sample format"));
    CHECK(holds(in_zsh("scene unpack --c"), "--clash["));
}

TEST_CASE("the manual page names every command and option, and man finds nothing wrong with it", "[cli]") {
    const std::string page = cli({"manual"});
    const TemporaryFolder folder;
    REQUIRE(write_file(folder.path("page.1"), page).ok());
    const CommandResult formatted =
        run_command({"/usr/bin/man", "--warnings", "-E", "UTF-8", "-l", folder.path("page.1")});
    CHECK(formatted.status == 0);
    CHECK(formatted.err.empty());
    for (const char* section : {"SYNOPSIS", "COMMANDS", "EXIT STATUS", "FILES", "EXAMPLES"})
        CHECK_THAT(formatted.out, Catch::Contains(section));
    int options = 0;
    for (const char* command : {"render", "live", "soundcheck", "scene unpack", "take export"}) {
        std::istringstream words(command);
        std::vector<std::string> arguments;
        for (std::string w; words >> w;) arguments.push_back(w);
        arguments.emplace_back("--help");
        std::istringstream help(cli(arguments));
        for (std::string w; help >> w;) {
            // The first of several names.
            if (!w.starts_with("--")) continue;
            std::string escaped;
            for (const char c : w.substr(0, w.find_first_of(",.)")))
                escaped += c == '-' ? std::string("\\-") : std::string(1, c);
            INFO(command << " " << w);
            CHECK_THAT(page, Catch::Contains(escaped));
            ++options;
        }
    }
    CHECK(options > 30);
    // Hidden from the help, and without earlier names.
    CHECK_THAT(page, !Catch::Contains("programme") && !Catch::Contains(".SS manual"));
}

TEST_CASE("numbers on the command line are finite and inside their range", "[cli]") {
    const auto refused = [](std::vector<std::string> arguments, const char* why) {
        arguments.insert(arguments.begin(), REED_CLI);
        const CommandResult r = run_command(arguments);
        INFO(arguments.back() << ": " << r.err);
        CHECK(r.status == 2);
        CHECK_THAT(r.err, Catch::Contains(why));
    };
    for (const char* number : {"nan", "inf", "-inf", "0", "1e7", "ten", ""})
        refused({"live", "--scene", "none.json", "--seconds", number}, "must be a number from 0.1 to 1e+06");
    refused({"live", "--scene", "none.json", "--every", "nan"}, "must be a number from 0.05 to 3600");
    refused({"balance", "--voice", "a", "--app-audio", "b", "--min", "nan"}, "must be a number from 0 to 40");
    refused({"render", "--scene", "a", "--in", "b", "--out", "c", "--block", "8193"},
            "must be a number from 1 to 8192 and is “8193”");
    // Both ends are allowed: what is refused then is the file.
    refused({"live", "--scene", "none.json", "--every", "3600"}, "none.json");
}
