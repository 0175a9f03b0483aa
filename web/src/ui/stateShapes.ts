import type { Api } from '../api/client';
import type { ShapeKind } from './shapes';

/** Pictures of states that more than one feature shows; their words come from the server. */

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

export function fitShape(fit: Api<'Fit'>): ShapeKind {
  switch (fit) {
    case 'fits':
      return 'met';
    case 'unknown':
      return 'unknown';
    case 'doubtful':
      return 'missing';
    case 'stops':
      return 'refused';
  }
}

export function matchShape(verdict: Api<'MatchVerdict'>): ShapeKind {
  switch (verdict) {
    case 'fits':
      return 'met';
    case 'with-reason':
    case 'makes':
      return 'half';
    case 'unknown':
      return 'unknown';
    case 'stops':
      return 'refused';
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
