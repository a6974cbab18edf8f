#include "manual_page.h"

namespace reed::cli {
namespace {

/// Text as roff takes it: hyphens that can be copied, no control lines, no escapes.
std::string roff(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '-')
            out += "\\-";
        else if (c == '\\')
            out += "\\e";
        else if (c == '\n')
            out += ' ';
        else
            out += c;
    }
    if (!out.empty() && (out.front() == '.' || out.front() == '\'')) out.insert(0, "\\&");
    return out;
}

/// One word in bold or italics.
std::string styled(char style, const std::string& text) {
    return std::string("\\f") + style + roff(text) + "\\fR";
}

std::string syntax(const OptionInfo& o) {
    if (o.positional) return styled('I', o.value.empty() ? o.name : o.value);
    return styled('B', o.name) + (o.value.empty() ? "" : " " + styled('I', o.value));
}

std::string synopsis(const CommandInfo& command) {
    std::string out = styled('B', "dusky-reed-cli " + command.name());
    bool optional = false;
    for (const OptionInfo& o : command.options) {
        if (!o.required) {
            optional = true;
            continue;
        }
        out += " " + syntax(o) + (o.repeats ? " ..." : "");
    }
    return out + (optional ? " [" + styled('I', "options") + "]" : "");
}

std::string describe(const OptionInfo& o) {
    std::string out = ".TP\n" + syntax(o) + "\n" + roff(o.about);
    if (!o.choices.empty()) {
        out += ":";
        for (const std::string& choice : o.choices)
            out += (&choice == &o.choices.front() ? " " : ", ") + styled('B', choice);
    }
    out += ".";
    if (o.required) out += " Required.";
    if (o.repeats) out += " May be given more than once.";
    return out + "\n";
}

}  // namespace

std::string manual_page(const CommandTree& tree, const std::string& version) {
    std::string out =
        ".\\\" Made by: dusky-reed-cli manual\n"
        ".TH DUSKY\\-REED\\-CLI 1 \"\" \"Dusky Reed " +
        version +
        "\" \"User Commands\"\n"
        ".SH NAME\n"
        "dusky\\-reed\\-cli \\- render, measure and check microphone filter chains\n"
        ".SH SYNOPSIS\n"
        "\\fBdusky\\-reed\\-cli\\fR \\fIcommand\\fR [\\fIoptions\\fR]\n"
        ".SH DESCRIPTION\n"
        "Dusky Reed processes the microphone of people who stream live. \\fBdusky\\-reed\\-cli\\fR uses the "
        "same "
        "chain, scenes and measurements as the window of\n"
        ".BR dusky\\-reed (1),\n"
        "on audio files or live without a window. \\fBdusky\\-reed\\-cli\\fR \\fIcommand\\fR "
        "\\fB\\-\\-help\\fR "
        "lists the options of a command.\n"
        ".PP\n"
        "Levels are in dBFS as AES17 defines it: a full\\-scale sine is 0 dBFS by peak and by RMS. Loudness "
        "is in "
        "LUFS as ITU\\-R BS.1770 defines it.\n"
        ".SH COMMANDS\n";
    for (const CommandInfo& command : tree.commands) {
        out += ".SS " + roff(command.name()) + "\n" + synopsis(command) + "\n.PP\n" + roff(command.about) +
               ".\n";
        for (const OptionInfo& o : command.options) out += describe(o);
    }
    out +=
        ".SH EXIT STATUS\n"
        ".TP\n\\fB0\\fR\nThe command did what it was asked for.\n"
        ".TP\n\\fB2\\fR\nSomething in a file, an option or a device was wrong; the standard error says what, "
        "where "
        "and what to do. No incomplete file is left.\n"
        ".SH ENVIRONMENT\n"
        ".TP\n\\fBXDG_DATA_HOME\\fR, \\fBXDG_CONFIG_HOME\\fR\nWhere takes, scenes and settings of the window "
        "are; "
        "\\fI~/.local/share\\fR and \\fI~/.config\\fR if they are not set.\n"
        ".SH FILES\n"
        ".TP\n\\fI~/.local/share/dusky\\-reed/scenes\\fR\nThe scenes of the window, which every command "
        "takes.\n"
        ".TP\n\\fI~/.local/share/dusky\\-reed/takes\\fR\nThe takes (recordings for tuning).\n"
        ".SH EXAMPLES\n"
        "A recording through a scene:\n"
        ".PP\n.RS 4\n.nf\ndusky\\-reed\\-cli render \\-\\-scene evening.json \\-\\-in voice.wav \\-\\-out "
        "voice.flac\n.fi\n.RE\n.PP\n"
        "Measure a voice and its room, and write a scene that fits them:\n"
        ".PP\n.RS 4\n.nf\ndusky\\-reed\\-cli soundcheck \\-\\-silence room.wav \\-\\-talk voice.wav "
        "\\-\\-out "
        "mine.json\n.fi\n.RE\n.PP\n"
        "The scene live until Ctrl+C, without a window:\n"
        ".PP\n.RS 4\n.nf\ndusky\\-reed\\-cli live \\-\\-scene mine.json\n.fi\n.RE\n"
        ".SH SEE ALSO\n"
        ".BR dusky\\-reed (1)\n";
    return out;
}

}  // namespace reed::cli
