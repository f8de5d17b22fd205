# fish completion for lurk: the command itself knows what may come next.
complete -c lurk -f -a '(set -l words (commandline -opc); lurk complete -- $words[2..-1] (commandline -ct) 2>/dev/null)'
