# Completion of bash for dusky-reed. The actions come from the program itself.
_dusky_reed() {
    local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]} part
    COMPREPLY=()
    case $before in
        --send) COMPREPLY=($(compgen -W "$(dusky-reed --actions 2>/dev/null | sed 's/[ :].*//')" -- "$word")); return ;;
        --theme) COMPREPLY=($(compgen -W 'dusk dawn' -- "$word")); return ;;
        --record | --screenshot) return ;;
        --focus) COMPREPLY=($(compgen -W "$(dusky-reed-cli stages 2>/dev/null | cut -d' ' -f1)" -- "$word")); return ;;
    esac
    # What follows an action is its argument.
    for part in "${COMP_WORDS[@]:1:COMP_CWORD-1}"; do
        if [ "$part" = --send ]; then return; fi
    done
    COMPREPLY=($(compgen -W '--help --version --send --actions --theme --focus --record --seconds --screenshot' -- "$word"))
}
complete -o default -F _dusky_reed dusky-reed
