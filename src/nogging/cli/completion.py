"""`nogging completion`"""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import typer

from nogging.cli import PASS


class Shell(StrEnum):
    BASH = "bash"
    ZSH = "zsh"
    FISH = "fish"


_SCRIPTS = {
    Shell.BASH: r"""# in ~/.bashrc:  eval "$(nogging completion bash)"
_nogging() {
    local word
    COMPREPLY=()
    while IFS=$'\t' read -r word _; do
        COMPREPLY+=("$word")
    done < <(nogging completion --words "${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)
}
complete -o bashdefault -o default -F _nogging nogging
""",
    Shell.ZSH: r"""# in ~/.zshrc, after compinit:  eval "$(nogging completion zsh)"
_nogging() {
    local -a found
    local word about
    while IFS=$'\t' read -r word about; do
        found+=("${word//:/\\:}:$about")
    done < <(nogging completion --words "${(@)words[2,CURRENT]}" 2>/dev/null)
    if (( ${#found} )); then
        _describe -V nogging found
    else
        _files
    fi
}
compdef _nogging nogging
""",
    Shell.FISH: r"""# in ~/.config/fish/config.fish:  nogging completion fish | source
function __nogging
    set -l found (nogging completion --words (commandline -opc)[2..] (commandline -ct) 2>/dev/null)
    if count $found >/dev/null
        printf '%s\n' $found
    else
        __fish_complete_path (commandline -ct)
    end
end
complete -c nogging -f -a '(__nogging)'
""",
}


def command(
    shell: Annotated[Shell, typer.Argument(help="Which shell: bash, zsh or fish.")],
) -> int:
    """What a shell reads to complete commands, options, kinds, fields, and the devices and labels of the capture at
    hand."""
    print(_SCRIPTS[shell], end="")
    return PASS
