# Completions of renth for fish.
function __renth_words
    set -l words (commandline -opc) (commandline -ct)
    $words[1] complete-words -- $words[2..-1] 2>/dev/null
end
complete -c renth -a '(__renth_words)'
