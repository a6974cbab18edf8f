#include "completion.h"

#include <algorithm>

namespace reed::cli {
namespace {

std::string joined(const std::vector<std::string>& words, const char* between) {
    std::string out;
    for (const std::string& word : words) out += (out.empty() ? "" : between) + word;
    return out;
}

/// In single quotes of a shell; `escaped`: characters that get a backslash before them.
std::string in_quotes(const std::string& text, const std::string& escaped = "") {
    std::string out = "'";
    for (const char c : text) {
        if (escaped.find(c) != std::string::npos) out += '\\';
        out += c == '\'' ? std::string("'\\''") : std::string(1, c);
    }
    return out + "'";
}

/// What may follow a group: the second words of its commands.
std::vector<const CommandInfo*> commands_of(const CommandTree& tree, const std::string& group) {
    std::vector<const CommandInfo*> out;
    for (const CommandInfo& c : tree.commands) {
        if (c.words.size() > 1 && c.words.front() == group) out.push_back(&c);
    }
    return out;
}

std::vector<std::string> second_words(const CommandTree& tree, const std::string& group) {
    std::vector<std::string> out;
    for (const CommandInfo* c : commands_of(tree, group)) out.push_back(c->words.back());
    return out;
}

/// First words with what they do, groups among them.
std::vector<std::pair<std::string, std::string>> first_words(const CommandTree& tree) {
    std::vector<std::pair<std::string, std::string>> out;
    for (const CommandInfo& c : tree.commands) {
        if (c.words.size() == 1) out.emplace_back(c.words.front(), c.about);
    }
    for (const CommandGroup& g : tree.groups) out.emplace_back(g.word, g.about);
    std::ranges::sort(out);
    return out;
}

constexpr const char* kMadeBy = "made by: dusky-reed-cli completion ";

/// "--scene[Scene file]:FILE:_files", as _arguments of zsh reads it.
std::string zsh_argument(const OptionInfo& o) {
    std::string out;
    if (o.positional)
        out = o.repeats ? "*" : "1";
    else
        out = (o.repeats ? "*" : "") + o.name + "[" + o.about + "]";
    if (o.value.empty()) return in_quotes(out, ":");
    std::string action = " ";
    if (!o.choices.empty()) action = "(" + joined(o.choices, " ") + ")";
    if (o.takes_file()) action = "_files";
    if (o.takes_folder()) action = "_files -/";
    // What is described may hold colons; those that part the fields are ours.
    const std::string head = in_quotes(out, ":");
    return head.substr(0, head.size() - 1) + ":" + o.value + ":" + action + "'";
}

}  // namespace

std::string bash_completion(const CommandTree& tree) {
    std::vector<std::string> first;
    for (const auto& [word, about] : first_words(tree)) first.push_back(word);
    std::string groups, values, options;
    for (const CommandGroup& g : tree.groups) groups += (groups.empty() ? "" : " | ") + g.word;
    for (const CommandGroup& g : tree.groups)
        options +=
            "        " + g.word + ") words=" + in_quotes(joined(second_words(tree, g.word), " ")) + " ;;\n";
    for (const CommandInfo& c : tree.commands) {
        std::vector<std::string> names;
        std::vector<std::string> free;
        for (const OptionInfo& o : c.options) {
            // The first argument stands behind the command's own word.
            const std::string behind = c.name() + " " + (o.positional ? c.words.back() : o.name);
            if (!o.positional) names.push_back(o.name);
            if (!o.choices.empty())
                values += "        " + in_quotes(behind) + ") COMPREPLY=($(compgen -W " +
                          in_quotes(joined(o.choices, " ")) + " -- \"$word\")); return ;;\n";
            else if (o.takes_folder() && !o.positional)
                values += "        " + in_quotes(behind) +
                          ") compopt -o filenames; COMPREPLY=($(compgen -d -- \"$word\")); return ;;\n";
            else if (!o.value.empty() && !o.positional)
                free.push_back(in_quotes(behind));
        }
        // Without words the shell completes the names of files.
        if (!free.empty()) values += "        " + joined(free, " | ") + ") return ;;\n";
        options += "        " + in_quotes(c.name()) + ") words=" + in_quotes(joined(names, " ") + " --help") +
                   " ;;\n";
    }
    return std::string("# Completion of bash for dusky-reed-cli, ") + kMadeBy +
           "bash\n"
           "_dusky_reed_cli() {\n"
           "    local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]} command='' words=''\n"
           "    COMPREPLY=()\n"
           "    if [ \"$COMP_CWORD\" -gt 1 ]; then command=${COMP_WORDS[1]}; fi\n"
           "    case $command in\n"
           "        " +
           groups +
           ") if [ \"$COMP_CWORD\" -gt 2 ]; then command+=\" ${COMP_WORDS[2]}\"; fi ;;\n"
           "    esac\n"
           "    case \"$command $before\" in\n" +
           values +
           "    esac\n"
           "    case $command in\n"
           "        '') words=" +
           in_quotes(joined(first, " ") + " --help --version") + " ;;\n" + options +
           "    esac\n"
           "    if [[ $word == -* || $COMP_CWORD -eq 1 || \"$command\" == \"$before\" && $words != -* ]]; "
           "then\n"
           "        COMPREPLY=($(compgen -W \"$words\" -- \"$word\"))\n"
           "    fi\n"
           "}\n"
           "complete -o default -F _dusky_reed_cli dusky-reed-cli\n";
}

std::string zsh_completion(const CommandTree& tree) {
    const auto list = [](const auto& pairs) {
        std::string out;
        for (const auto& [word, about] : pairs) {
            std::string entry = word;
            entry.append(":").append(about);
            out += " " + in_quotes(entry);
        }
        return out;
    };
    const auto arguments = [](const CommandInfo& c) {
        std::string out = "_arguments '--help[Print this help message and exit]'";
        for (const OptionInfo& o : c.options) out += " " + zsh_argument(o);
        return out;
    };
    std::string cases;
    for (const CommandInfo& c : tree.commands) {
        if (c.words.size() == 1) cases += "        " + c.words.front() + ") " + arguments(c) + " ;;\n";
    }
    for (const CommandGroup& g : tree.groups) {
        std::vector<std::pair<std::string, std::string>> pairs;
        std::string inner;
        for (const CommandInfo* c : commands_of(tree, g.word)) {
            pairs.emplace_back(c->words.back(), c->about);
            inner += "                " + c->words.back() + ") " + arguments(*c) + " ;;\n";
        }
        cases += "        " + g.word + ")\n            commands=(" + list(pairs) +
                 ")\n"
                 "            if (( CURRENT == 2 )); then _describe command commands; return; fi\n"
                 "            shift words; (( CURRENT-- ))\n"
                 "            case ${words[1]} in\n" +
                 inner + "            esac ;;\n";
    }
    return std::string("#compdef dusky-reed-cli\n# Completion of zsh for dusky-reed-cli, ") + kMadeBy +
           "zsh\n"
           "_dusky_reed_cli() {\n"
           "    local -a commands\n"
           "    commands=(" +
           list(first_words(tree)) +
           ")\n"
           "    if (( CURRENT == 2 )); then _describe command commands; return; fi\n"
           "    shift words; (( CURRENT-- ))\n"
           "    case ${words[1]} in\n" +
           cases +
           "    esac\n"
           "}\n"
           "if [ \"$funcstack[1]\" = _dusky-reed-cli ]; then _dusky_reed_cli \"$@\"; else compdef "
           "_dusky_reed_cli "
           "dusky-reed-cli; fi\n";
}

std::string fish_completion(const CommandTree& tree) {
    std::string out = std::string("# Completion of fish for dusky-reed-cli, ") + kMadeBy + "fish\n";
    const std::string complete = "complete -c dusky-reed-cli";
    out += complete + " -n __fish_use_subcommand -f -l help -d 'Print this help message and exit'\n";
    out += complete + " -n __fish_use_subcommand -f -l version -d 'Print the version and exit'\n";
    for (const auto& [word, about] : first_words(tree))
        out.append(complete)
            .append(" -n __fish_use_subcommand -f -a ")
            .append(word)
            .append(" -d ")
            .append(in_quotes(about, "\\"))
            .append("\n");
    for (const CommandInfo& c : tree.commands) {
        const bool grouped = c.words.size() > 1;
        std::string when = "__fish_seen_subcommand_from " + c.words.front();
        if (grouped) {
            std::string before = when;
            before.append("; and not __fish_seen_subcommand_from ")
                .append(joined(second_words(tree, c.words.front()), " "));
            out += complete + " -n " + in_quotes(before) + " -f -a " + c.words.back() + " -d " +
                   in_quotes(c.about, "\\") + "\n";
            when += "; and __fish_seen_subcommand_from " + c.words.back();
        }
        bool files = false;
        for (const OptionInfo& o : c.options) {
            if (o.positional) {
                files |= o.takes_file();
                if (!o.choices.empty())
                    out += complete + " -n " + in_quotes(when) + " -f -a " +
                           in_quotes(joined(o.choices, " ")) + "\n";
                continue;
            }
            out += complete + " -n " + in_quotes(when) + " -l " + o.name.substr(2);
            if (!o.choices.empty())
                out += " -x -a " + in_quotes(joined(o.choices, " "));
            else if (o.takes_folder())
                out += " -x -a '(__fish_complete_directories)'";
            else if (o.takes_file())
                out += " -r -F";
            else if (!o.value.empty())
                out += " -x";
            out += " -d " + in_quotes(o.about, "\\") + "\n";
        }
        // Names of files only where the command takes some without an option.
        if (!files) out += complete + " -n " + in_quotes(when) + " -f\n";
    }
    return out;
}

}  // namespace reed::cli
