import type { LogKind } from '../../api/queries';

export const KINDS: { id: LogKind; shown: string }[] = [
  { id: 'acts', shown: 'Acts' },
  { id: 'backups', shown: 'Backups' },
  { id: 'decisions', shown: 'Decisions' },
  { id: 'refusals', shown: 'Refusals' },
  { id: 'keep-safe', shown: 'Keep-safe' },
  { id: 'facts', shown: 'Facts' },
];

export function kindOf(text: string | null): LogKind | undefined {
  return KINDS.find((kind) => kind.id === text)?.id;
}
