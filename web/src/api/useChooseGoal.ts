import { client, newRequest, unwrap, type Api } from './client';
import { useChange } from './useChange';

/** Chooses the goal of a unit, which touches nothing; `done` is called once it is chosen. */
export function useChooseGoal(unit: string, done?: () => void) {
  return useChange(
    (goal: Api<'Goal'>) =>
      unwrap(
        client.POST('/api/units/{unit}/goal', {
          params: { path: { unit } },
          body: { goal, request: newRequest() },
        }),
      ),
    unit,
    done,
  );
}
