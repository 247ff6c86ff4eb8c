# SPDX-License-Identifier: GPL-3.0-or-later
# Completion for bash; the words come from imprimoctl itself.
_imprimoctl() {
  local cur words cword line ending
  _get_comp_words_by_ref -n := cur words cword || return
  COMPREPLY=()
  while IFS= read -r line; do
    case $line in
      :folders) compopt -o filenames; COMPREPLY+=($(compgen -d -- "$cur")) ;;
      :files*)
        compopt -o filenames
        COMPREPLY+=($(compgen -d -- "$cur"))
        if [ -z "${line#:files}" ] || [ "$line" = ":files " ]; then
          COMPREPLY+=($(compgen -f -- "$cur"))
        else
          for ending in ${line#:files }; do COMPREPLY+=($(compgen -f -X "!*.$ending" -- "$cur")); done
        fi
        ;;
      *) COMPREPLY+=("${line%%$'\t'*}") ;;
    esac
  done < <("${words[0]}" --complete "${words[@]:1:cword}" 2>/dev/null)
  __ltrim_colon_completions "$cur"
}
complete -F _imprimoctl imprimoctl
