# SPDX-License-Identifier: GPL-3.0-or-later
# Completion for fish; the words come from imprimoctl itself.
function __imprimoctl_complete
    set -l before (commandline -opc)
    set -l now (commandline -ct)
    for line in ($before[1] --complete $before[2..-1] "$now" 2>/dev/null)
        switch $line
            case ':folders'
                __fish_complete_directories "$now"
            case ':files*'
                set -l kinds (string split -n ' ' -- (string replace -r '^:files ?' '' -- $line))
                if test (count $kinds) -eq 0
                    __fish_complete_path "$now"
                else
                    for kind in $kinds
                        __fish_complete_suffix "$now" .$kind
                    end
                end
            case '*'
                echo $line
        end
    end
end
complete -c imprimoctl -f -a '(__imprimoctl_complete)'
