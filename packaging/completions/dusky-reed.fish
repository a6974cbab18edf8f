# Completion of fish for dusky-reed. The actions come from the program itself.
function __dusky_reed_actions
    dusky-reed --actions 2>/dev/null | string replace -r '^([^ :]*)[^:]*: *' '$1\t'
end
function __dusky_reed_stages
    dusky-reed-cli stages 2>/dev/null | string replace -r ' .*' ''
end
complete -c dusky-reed -f
complete -c dusky-reed -s h -l help -d 'Show the options'
complete -c dusky-reed -s v -l version -d 'Show the version'
complete -c dusky-reed -l send -x -a '(__dusky_reed_actions)' -d 'Send an action to the running program'
complete -c dusky-reed -l actions -d 'List all actions with what they do'
complete -c dusky-reed -l theme -x -a 'dusk dawn' -d 'Colours of the window'
complete -c dusky-reed -l focus -x -a '(__dusky_reed_stages)' -d 'Select the stage of this id'
complete -c dusky-reed -l record -r -F -d 'Record the output to an audio file'
complete -c dusky-reed -l seconds -x -d 'Quit after this many seconds'
complete -c dusky-reed -l screenshot -r -F -d 'Save a screenshot of the window on exit'
