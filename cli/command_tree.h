// What the commands and options are, read from the parser itself, so that man page and completions can't
// differ from it.
#pragma once

#include <CLI/CLI.hpp>
#include <string>
#include <vector>

namespace reed::cli {

struct OptionInfo {
    std::string name;   // "--scene"; of an argument without a name its word: "files"
    std::string value;  // the word for its value: "FILE", "NUMBER"; empty for a flag
    std::string about;
    std::vector<std::string> choices;  // empty: any value
    bool positional = false;
    bool required = false;
    bool repeats = false;

    bool takes_file() const { return value.find("FILE") != std::string::npos; }
    bool takes_folder() const { return value == "FOLDER"; }
};

/// A command that does something ("render", "scene check").
struct CommandInfo {
    std::vector<std::string> words;
    std::string about;
    std::vector<OptionInfo> options;  // without --help

    std::string name() const;
};

/// A word that needs a second one: "scene", "take".
struct CommandGroup {
    std::string word;
    std::string about;
};

struct CommandTree {
    std::vector<CommandInfo> commands;
    std::vector<CommandGroup> groups;
};

/// Without what is hidden (commands of an empty group) and without earlier names.
CommandTree command_tree(const CLI::App& app);

}  // namespace reed::cli
