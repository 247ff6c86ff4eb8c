#compdef imprimoctl
# SPDX-License-Identifier: GPL-3.0-or-later
# Completion for zsh; the words come from imprimoctl itself.
_imprimoctl() {
  local line kinds
  local -a answers found
  answers=("${(@f)$(${words[1]} --complete "${(@)words[2,CURRENT]}" 2>/dev/null)}")
  for line in $answers; do
    case $line in
      :folders) _files -/ ;;
      :files*)
        kinds=${line#:files }
        if [[ -z $kinds || $kinds == :files ]]; then _files; else _files -g "*.(${kinds// /|})"; fi
        ;;
      ?*) found+=("${${line%%$'\t'*}//:/\\:}:${line#*$'\t'}") ;;
    esac
  done
  (( $#found )) && _describe -V 'imprimoctl' found
}
_imprimoctl "$@"
