import type { Api } from '../../api/client';

/** A cell in words; the table shows it, and the chart says it to whoever doesn't see it. */
export function cellWords(cell: Api<'Cell'>, trustWords: (trust: string) => string): string {
  switch (cell.is) {
    case 'not-taken':
      return 'not taken';
    case 'not-read':
      return 'not read';
    case 'image':
      return `${cell.short}, ${cell.said}, ${trustWords(cell.trust)}`;
  }
}
