import type { Api } from '../../api/client';
import { trustWords } from '../../ui/words';

/** A cell in words; the table shows it, and the chart says it to whoever doesn't see it. */
export function cellWords(cell: Api<'Cell'>): string {
  switch (cell.is) {
    case 'not-taken':
      return 'not taken';
    case 'not-read':
      return 'not read';
    case 'image': {
      const content =
        cell.step === 0
          ? 'as the base'
          : `other content ${cell.step}, ${Math.round((cell.ticks.length / 64) * 100)} % of its parts differ`;
      const moved = cell.moved ? ', place or length differ' : '';
      return `${cell.short}, ${content}, ${trustWords(cell.trust)}${moved}`;
    }
  }
}
