# bash completion for lurk: the command itself knows what may come next.
_lurk()
{
	mapfile -t COMPREPLY < <(lurk complete -- "${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)
}
complete -o default -F _lurk lurk
