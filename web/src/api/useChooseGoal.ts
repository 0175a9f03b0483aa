import { client, newRequest, unwrap, type Api } from './client';
import { useChange } from './useChange';

/** Chooses the goal of a unit, which touches nothing, with a reason where one is asked; `done` is called once it is chosen. */
export function useChooseGoal(unit: string, done?: () => void) {
  return useChange(
    ({ goal, reason }: { goal: Api<'Goal'>; reason?: string | null }) =>
      unwrap(
        client.POST('/api/units/{unit}/goal', {
          params: { path: { unit } },
          body: { goal, reason: reason ?? null, request: newRequest() },
        }),
      ),
    unit,
    done,
  );
}
