// Scripts that complete the command in a shell, made from its own verbs and options.
import type { Command } from 'commander'

/** The script for a shell, to be put where that shell reads its completions. */
export function completionOf(shell: string, program: Command): string {
  const verbs = program.commands.map((verb) => ({
    name: verb.name(),
    about: verb.description(),
    options: [...verb.options, ...program.options].flatMap((option) =>
      option.long === undefined ? [] : [option.long],
    ),
  }))
  if (shell === 'fish') return fishOf(verbs)
  return shell === 'zsh' ? zshOf(verbs) : bashOf(verbs)
}

interface Verb {
  name: string
  about: string
  options: string[]
}

function bashOf(verbs: Verb[]): string {
  const cases = verbs.map(({ name, options }) => `    ${name}) words="${[...new Set(options)].join(' ')}" ;;`)
  return `_jolt_gate() {
  local word="\${COMP_WORDS[COMP_CWORD]}" words=""
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=($(compgen -W "${verbs.map((verb) => verb.name).join(' ')}" -- "$word"))
    return
  fi
  case "\${COMP_WORDS[1]}" in
${cases.join('\n')}
  esac
  case "$word" in
    -*) COMPREPLY=($(compgen -W "$words" -- "$word")) ;;
    *) COMPREPLY=($(compgen -f -- "$word")) ;;
  esac
}
complete -o filenames -F _jolt_gate jolt-gate
`
}

/** Works where it is sourced, after `compinit`, and as a file `_jolt-gate` in a folder of `$fpath`. */
function zshOf(verbs: Verb[]): string {
  const quoted = (text: string) => `'${text.replaceAll("'", "'\\''")}'`
  const described = verbs.map(({ name, about }) => quoted(`${name}:${about}`))
  const cases = verbs.map(({ name, options }) => `    ${name}) options=(${[...new Set(options)].join(' ')}) ;;`)
  return `#compdef jolt-gate
_jolt_gate() {
  local -a verbs options
  verbs=(${described.join(' ')})
  if (( CURRENT == 2 )); then
    _describe verb verbs
    return
  fi
  case $words[2] in
${cases.join('\n')}
  esac
  if [[ $words[CURRENT] == -* ]]; then compadd -- $options; else _files; fi
}
if [[ $funcstack[1] == _jolt-gate ]]; then _jolt_gate "$@"; else compdef _jolt_gate jolt-gate; fi
`
}

function fishOf(verbs: Verb[]): string {
  const quoted = (text: string) => `'${text.replaceAll(/['\\]/g, '\\$&')}'`
  const lines = verbs.flatMap(({ name, about, options }) => [
    `complete -c jolt-gate -n __fish_use_subcommand -f -a ${name} -d ${quoted(about)}`,
    ...[...new Set(options)].map(
      (option) => `complete -c jolt-gate -n '__fish_seen_subcommand_from ${name}' -l ${option.slice(2)}`,
    ),
  ])
  return `${lines.join('\n')}\n`
}
