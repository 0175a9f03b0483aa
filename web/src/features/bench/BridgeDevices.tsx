import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { foundQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { Panel } from '../../ui/Panel';
import { useWords } from '../../ui/wordBook';
import { KnownDevice } from './KnownDevice';
import { UnitForm } from './UnitForm';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNoteOnBench } from '../../ui/useMay';

export type BridgeDevicesProps = {
  bridge: Api<'BridgeView'>;
  ownership: Api<'ChoiceOption'>[];
};

/** What a bridge offers and the bench doesn't have yet. */
export function BridgeDevices({ bridge, ownership }: BridgeDevicesProps) {
  const linkWords = useWords('presence');
  const query = useQuery(foundQuery(bridge.id));
  const note = useMayNoteOnBench();
  const [chosen, setChosen] = useState<string | undefined>();
  const remove = useChange(() =>
    unwrap(
      client.DELETE('/api/bridges/{bridge}', {
        params: { path: { bridge: bridge.id }, query: { request: newRequest() } },
      }),
    ),
  );
  return (
    <Box sx={{ mb: 2 }}>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Typography variant="h3">{bridge.name}</Typography>
        <Typography variant="code" color="text.secondary">
          {bridge.url}
        </Typography>
        <ShowButton
          onClick={() => void query.refetch()}
          aria-label={`Look again at ${bridge.name}`}
        >
          Look again
        </ShowButton>
        <Button
          may={note}
          onClick={() => remove.mutate(undefined)}
          aria-label={`Remove ${bridge.name}`}
        >
          Remove
        </Button>
      </Box>
      <Panel
        query={query}
        empty={(found) =>
          found.some(isToBePut)
            ? undefined
            : { because: `${WORDS.nothingFound} ${WORDS.notListed}` }
        }
      >
        {(found) => {
          const here = found.filter(isToBePut);
          const known = here.filter((device) => device.recognised != null);
          const fresh = here.filter((device) => device.recognised == null);
          return (
            <>
              {known.map((device) => (
                <KnownDevice key={device.handle} bridge={bridge.id} device={device} />
              ))}
              {fresh.map((device) => (
                <Box key={device.handle} sx={{ py: 1, borderTop: 1, borderColor: 'rule' }}>
                  <Box sx={{ display: 'flex', gap: 2, alignItems: 'center' }}>
                    <Typography sx={{ fontWeight: 650 }}>
                      {device.family ?? 'A device of an unknown family'}
                      {device.model_code != null && `, ${device.model_code}`}
                    </Typography>
                    <Typography color="text.secondary">
                      {device.handle}, {linkWords(device.presence)}
                    </Typography>
                    <ShowButton
                      variant="outlined"
                      onClick={() => setChosen(device.handle)}
                      aria-label={`Put on the bench: ${device.handle}`}
                    >
                      Put on the bench
                    </ShowButton>
                  </Box>
                  {chosen === device.handle && (
                    <UnitForm
                      ownership={ownership}
                      reach={{ by: 'link', bridge: bridge.id, handle: device.handle }}
                      onDone={() => setChosen(undefined)}
                    />
                  )}
                </Box>
              ))}
            </>
          );
        }}
      </Panel>
    </Box>
  );
}

/** Whether it can be put on the bench: what is not there now has nothing to be put on it by. */
function isToBePut(device: Api<'FoundDevice'>): boolean {
  return device.unit == null && device.presence !== 'absent';
}
