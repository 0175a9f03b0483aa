import type { Api } from '../api/client';
import { LinkButton } from './LinkButton';

export type CureLinkProps = {
  unit: string;
  line: Api<'Line'>;
  onLeave?: () => void;
};

/** A station of the unit's, or with a slash one of the bench's. */
function leadsTo(cure: Api<'Cure'>): { label: string; place: string } {
  switch (cure.cure) {
    case 'capture':
      return { label: 'To the capture', place: 'backups' };
    case 'keep-copies':
      return { label: 'To its copies', place: 'backups' };
    case 'put-back':
      return { label: 'Put it back', place: 'backups' };
    case 'start-system':
      return { label: 'To its start', place: 'run' };
    case 'consent':
      return { label: 'To the consent', place: 'run' };
    case 'type-fact':
    case 'do-then-type':
    case 'check':
    case 'keep-safe':
    case 'charge':
      return { label: 'To the list', place: 'standing' };
    case 'fetch':
      return { label: 'To the shelf', place: '/shelf' };
    case 'wait':
    case 'ask':
      return { label: 'See why', place: 'standing' };
    case 'shelve':
      return { label: 'To Recovery', place: 'recovery' };
    case 'choose':
      return { label: 'To Recovery', place: 'recovery' };
    case 'shelve-stock':
      return { label: 'To the shelf', place: '/shelf' };
    case 'put-stock':
      return { label: 'To the maker’s sets', place: 'backups' };
    case 'read-by-link':
      return { label: 'To the list', place: 'standing' };
  }
}

/** The way to where a missing piece of evidence is brought. */
export function CureLink({ unit, line, onLeave }: CureLinkProps) {
  const why = line.need?.need === 'absent' ? { label: 'See why', place: 'standing' } : undefined;
  const to = line.cure == null ? why : leadsTo(line.cure);
  if (to === undefined) return null;
  return (
    <LinkButton
      to={to.place.startsWith('/') ? to.place : `/units/${unit}/${to.place}`}
      {...(onLeave === undefined ? {} : { onClick: onLeave })}
      sx={{ flexShrink: 0 }}
    >
      {to.label}
    </LinkButton>
  );
}
