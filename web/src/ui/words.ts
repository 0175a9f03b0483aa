import { onWall } from '../api/clock';
import type { Api } from '../api/client';
import { clockOf } from './format';
import type { ShapeKind } from './shapes';

/** Words and shapes for states that more than one feature shows. */

export function linkWords(presence: Api<'LinkPresence'>): string {
  switch (presence) {
    case 'ready':
      return 'answers';
    case 'not-authorised':
      return 'listed, takes no commands';
    case 'absent':
      return 'not there';
    case 'bridge-gone':
      return 'bridge does not answer';
    case 'another-unit':
      return 'another unit answers';
    case 'not-told':
      return 'something answers, not told which unit';
    case 'doubtful':
      return 'its signs disagree';
    case 'by-hand':
      return 'none, by hand';
  }
}

/** How the link stands, and since when where it does not. */
export function linkStanding(link: Api<'LinkView'>): string {
  const words = linkWords(link.presence);
  const isGone = link.presence !== 'ready' && link.presence !== 'by-hand';
  return isGone && link.since != null ? `${words}, since ${clockOf(onWall(link.since))}` : words;
}

export function verdictShape(verdict: Api<'Verdict'>): ShapeKind {
  switch (verdict.is) {
    case 'ready':
      return 'met';
    case 'ready-after':
      return 'half';
    case 'wait-until':
      return 'waiting';
    case 'ask-the-vendor':
      return 'unknown';
    case 'not-possible':
      return 'refused';
    case 'already-unlocked':
      return 'open';
    case 'no-lock':
      return 'open';
    case 'not-known-yet':
      return 'unknown';
  }
}

export function itemShape(state: Api<'LineState'>): ShapeKind {
  switch (state) {
    case 'met':
      return 'met';
    case 'missing':
      return 'missing';
    case 'unknown':
      return 'unknown';
  }
}

export function itemWord(state: Api<'LineState'>): string {
  switch (state) {
    case 'met':
      return 'There';
    case 'missing':
      return 'Missing';
    case 'unknown':
      return 'Not known';
  }
}

export function sourceWords(source: Api<'Source'>): string {
  switch (source) {
    case 'link':
      return 'read over the link';
    case 'person':
      return 'said by a person';
    case 'file':
      return 'from a file';
    case 'concluded':
      return 'concluded';
  }
}

/** The same, where there is little room. */
export function sourceShort(source: Api<'Source'>): string {
  switch (source) {
    case 'link':
      return 'by link';
    case 'person':
      return 'said';
    case 'file':
      return 'from a file';
    case 'concluded':
      return 'concluded';
  }
}

export function roleWords(role: Api<'Role'>): string {
  switch (role) {
    case 'boot-chain':
      return 'starts the device; never written alone';
    case 'overlay':
      return 'describes the hardware to the system';
    case 'verification':
      return 'tells which bytes are genuine';
    case 'radio-firmware':
      return 'runs the radio';
    case 'reserve':
      return 'kept free';
    case 'boot':
      return 'starts the system';
    case 'recovery':
      return 'recovery';
    case 'os':
      return 'system';
    case 'device-unique':
      return 'exists once in the world';
    case 'lock-state':
      return 'how the lock stands; never written';
    case 'boot-control':
      return 'start control; by commands only';
    case 'user-data':
      return "the owner's data";
    case 'cache':
      return 'scratch';
  }
}

/** A place's copy in words. */
export function trustWords(trust: Api<'Trust'>): string {
  switch (trust) {
    case 'live':
      return 'on the unit';
    case 'unverified':
      return 'not read back yet';
    case 'verified':
      return 'read back, whole';
    case 'damaged':
      return 'damaged';
  }
}

export function trustShape(trust: Api<'Trust'>): ShapeKind {
  switch (trust) {
    case 'live':
      return 'open';
    case 'unverified':
      return 'unknown';
    case 'verified':
      return 'met';
    case 'damaged':
      return 'refused';
  }
}

export function findingShape(level: Api<'Level'>): ShapeKind {
  switch (level) {
    case 'note':
      return 'open';
    case 'doubtful':
      return 'missing';
    case 'found-lost':
      return 'refused';
  }
}

export function findingWord(level: Api<'Level'>): string {
  switch (level) {
    case 'note':
      return 'To know';
    case 'doubtful':
      return 'Look again';
    case 'found-lost':
      return 'Found lost';
  }
}

export function outcomeShape(outcome: Api<'Outcome'>): ShapeKind {
  switch (outcome) {
    case 'open':
      return 'met';
    case 'after':
      return 'half';
    case 'refused':
      return 'refused';
  }
}

export function outcomeWord(outcome: Api<'Outcome'>): string {
  switch (outcome) {
    case 'open':
      return 'Nothing in the way';
    case 'after':
      return 'After this';
    case 'refused':
      return 'Refused';
  }
}

/** How the family's list and the unit's own table agree about a partition; nothing where they do. */
export function listingWords(listing: Api<'Listing'>): string {
  switch (listing) {
    case 'as-listed':
      return '';
    case 'other-size':
      return 'other size than usual';
    case 'by-book':
      return 'not on the family’s list; by the book of usual labels';
    case 'not-listed':
      return 'not known to this family, so treated as existing once';
  }
}
