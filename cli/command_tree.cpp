#include "command_tree.h"

#include <algorithm>

namespace reed::cli {
namespace {

/// The parser describes a value as "TEXT:{auto,24,float}" or "INT:INT in [1 - 8192]".
std::vector<std::string> choices_in(const std::string& type) {
    const size_t open = type.find('{');
    const size_t close = type.find('}');
    if (open == std::string::npos || close == std::string::npos || close < open) return {};
    return CLI::detail::split(type.substr(open + 1, close - open - 1), ',');
}

OptionInfo option_info(const CLI::Option& option) {
    OptionInfo out;
    out.positional = option.get_positional();
    out.name = out.positional ? option.get_single_name() : "--" + option.get_lnames().front();
    out.about = option.get_description();
    out.required = option.get_required();
    out.repeats = option.get_expected_max() > 1;
    const std::string type = option.get_type_name();
    out.choices = choices_in(type);
    if (option.get_items_expected_max() == 0) return out;
    const std::string word = type.substr(0, type.find(':'));
    out.value = word == "INT" || word == "FLOAT" ? "NUMBER" : word;
    return out;
}

void add_commands(const CLI::App& app, const std::vector<std::string>& words, CommandTree& into) {
    for (const CLI::App* command : app.get_subcommands(nullptr)) {
        if (command->get_group().empty()) continue;
        std::vector<std::string> path = words;
        path.push_back(command->get_name());
        if (!command->get_subcommands(nullptr).empty()) {
            into.groups.push_back({command->get_name(), command->get_description()});
            add_commands(*command, path, into);
            continue;
        }
        CommandInfo info{std::move(path), command->get_description(), {}};
        for (const CLI::Option* option : command->get_options()) {
            if (option == command->get_help_ptr() || option->get_group().empty()) continue;
            info.options.push_back(option_info(*option));
        }
        into.commands.push_back(std::move(info));
    }
}

}  // namespace

std::string CommandInfo::name() const {
    std::string out;
    for (const std::string& word : words) out += (out.empty() ? "" : " ") + word;
    return out;
}

CommandTree command_tree(const CLI::App& app) {
    CommandTree out;
    add_commands(app, {}, out);
    std::ranges::sort(out.commands, {}, &CommandInfo::name);
    std::ranges::sort(out.groups, {}, &CommandGroup::word);
    return out;
}

}  // namespace reed::cli
