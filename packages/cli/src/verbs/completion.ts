import type { Command } from 'commander';
import { candidates } from '../complete';
import { out } from '../output';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';

// What each shell calls: it asks this program for what fits the words so far.
const scripts: Readonly<Record<string, string>> = {
  bash: `_tantamos() {
  local IFS=$'\\n'
  COMPREPLY=($(tantamos complete -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null))
  [[ \${#COMPREPLY[@]} -eq 1 && \${COMPREPLY[0]} == *= ]] && compopt -o nospace
}
complete -F _tantamos tantamos`,
  zsh: `#compdef tantamos
_tantamos() {
  local -a found
  found=("\${(@f)$(tantamos complete -- "\${(@)words[2,$CURRENT]}" 2>/dev/null)}")
  compadd -Q -a found
}
compdef _tantamos tantamos`,
  fish: `complete -c tantamos -f -a '(tantamos complete -- (commandline -opc)[2..-1] (commandline -ct) 2>/dev/null)'`,
};

export const completion: Verb = (program: Command) => {
  program
    .command('completion')
    .argument('<shell>', 'bash, zsh or fish')
    .description('what a shell needs to complete verbs, options, types and fields')
    .action(
      acting(async (shell: string) => {
        const script = scripts[shell];
        if (!script)
          throw new UsageError(`There is completion for ${Object.keys(scripts).join(', ')}, not for “${shell}”.`);
        out(script);
      }),
    );

  program
    .command('complete', { hidden: true })
    .argument('[words...]')
    .action(
      acting(async (words: string[]) => {
        for (const found of await candidates(program, words)) out(found);
      }),
    );
};
