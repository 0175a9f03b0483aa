import { useCallback, useEffect, useRef, useState } from 'react';

import { benchNow } from '../../api/clock';
import type { Api } from '../../api/client';

/** Seconds that are counted before the first phase. */
const COUNT_IN = 3;

export type Beat =
  | { is: 'idle' }
  | { is: 'counting'; since: number }
  | { is: 'phase'; index: number; since: number }
  | { is: 'done' };

/** Goes through phases: begun by a count-in, moved on by each cue that a person or the link gives. */
export function useChoreography(phases: Api<'Phase'>[], isAway: boolean) {
  const [beat, setBeat] = useState<Beat>({ is: 'idle' });
  const cue = useCallback(() => {
    const since = benchNow();
    setBeat((now) => {
      switch (now.is) {
        case 'idle':
          return { is: 'counting', since };
        case 'counting':
          return { is: 'phase', index: 0, since };
        case 'phase':
          return now.index + 1 < phases.length
            ? { is: 'phase', index: now.index + 1, since }
            : { is: 'done' };
        case 'done':
          return now;
      }
    });
  }, [phases.length]);

  // The count-in ends by itself, and so does a phase whose cue is its seconds.
  useEffect(() => {
    const phase = beat.is === 'phase' ? phases[beat.index] : undefined;
    const seconds =
      beat.is === 'counting' ? COUNT_IN : phase?.cue === 'seconds' ? phase.seconds : undefined;
    if (seconds === undefined) return;
    const timer = setTimeout(cue, seconds * 1000);
    return () => clearTimeout(timer);
  }, [beat, phases, cue]);

  // A unit that goes away from its link has gone black: that is the cue, seen by the bench.
  const wasAway = useRef(isAway);
  useEffect(() => {
    const vanished = isAway && !wasAway.current;
    wasAway.current = isAway;
    if (vanished && beat.is === 'phase' && phases[beat.index]?.cue === 'black') cue();
  }, [isAway, beat, phases, cue]);

  // Pedals and clickers send Page Down.
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== 'PageDown' || event.repeat) return;
      event.preventDefault();
      cue();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [cue]);

  const again = useCallback(() => setBeat({ is: 'idle' }), []);
  return { beat, cue, again, countIn: COUNT_IN };
}

/** Each key has a pitch of its own. */
const PITCH: Record<Api<'Key'>, number> = {
  power: 262,
  'volume-up': 392,
  'volume-down': 330,
  home: 523,
  'dock-button': 294,
  screen: 440,
};

/** Sounds the keys of a phase, one after the other. */
export function sound(keys: Api<'Key'>[]) {
  const audio = new AudioContext();
  keys.forEach((key, index) => {
    const tone = audio.createOscillator();
    const volume = audio.createGain();
    const at = audio.currentTime + index * 0.16;
    tone.frequency.value = PITCH[key];
    volume.gain.setValueAtTime(0.12, at);
    volume.gain.exponentialRampToValueAtTime(0.001, at + 0.15);
    tone.connect(volume).connect(audio.destination);
    tone.start(at);
    tone.stop(at + 0.16);
  });
}
