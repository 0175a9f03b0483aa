import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';

async function take(unit: string, run: string, revision: number): Promise<void> {
  await unwrap(
    client.POST('/api/units/{unit}/run/{run}/step', {
      params: { path: { unit, run } },
      body: { revision, request: newRequest() },
    }),
  );
}

/** Takes the step in hand. */
export function useStep(unit: string, run: Api<'RunView'>) {
  return useChange(() => take(unit, run.id, run.revision), unit);
}

/**
 * Gives the consent that was typed and, where nothing else is missing, takes the step that it was for: one
 * decision, one button. What the server says of the step after the consent is asked before it is taken.
 */
export function useConsent(unit: string, run: Api<'RunView'>, takesStep: boolean) {
  return useChange(async (typed: string) => {
    await unwrap(
      client.POST('/api/units/{unit}/run/{run}/consent', {
        params: { path: { unit, run: run.id } },
        body: { revision: run.revision, typed, request: newRequest() },
      }),
    );
    if (!takesStep) return;
    const page = await unwrap(client.GET('/api/units/{unit}/run', { params: { path: { unit } } }));
    const now = page.run;
    if (now?.id !== run.id || now.step?.permission.allowed !== true) return;
    await take(unit, run.id, now.revision);
  }, unit);
}
