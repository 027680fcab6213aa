# Completions of renth for bash; installed where bash-completion looks.
_renth() {
  local line=${COMP_LINE:0:COMP_POINT} words word candidate
  read -r -a words <<<"$line"
  [[ $line == *[[:space:]] ]] && words+=("")
  word=${words[-1]}
  COMPREPLY=()
  while IFS=$'\t' read -r candidate _; do
    # Bash takes what comes after an equals sign or a colon for a word of its own.
    local cut=${word%"${word##*[=:]}"}
    COMPREPLY+=("${candidate#"$cut"}")
  done < <("${words[0]}" complete-words -- "${words[@]:1}" 2>/dev/null)
  if [[ ${#COMPREPLY[@]} -eq 0 ]]; then
    compopt -o default
  elif [[ ${COMPREPLY[0]} == *= ]]; then
    compopt -o nospace
  fi
}
complete -F _renth renth
