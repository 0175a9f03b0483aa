import Box from '@mui/material/Box';
import { useQuery } from '@tanstack/react-query';

import { client, newRequest, unwrap } from '../../api/client';
import { placeFoundQuery } from '../../api/queries';
import { Panel } from '../../ui/Panel';
import { ShowButton } from '../../ui/ShowButton';
import { FoundUnit } from './FoundUnit';
import { WORDS } from './strings';

export type PlaceFoundProps = { place: string; name: string };

/** What lies in a place, whoever wrote it: read first, taken over unit by unit. */
export function PlaceFound({ place, name }: PlaceFoundProps) {
  const query = useQuery(placeFoundQuery(place));
  return (
    <Box sx={{ gridColumn: '2 / -1', py: 1.5 }}>
      <Panel
        query={query}
        empty={(units) =>
          units.length === 0
            ? {
                because: `No capture lies in ${name}.`,
                action: (
                  <ShowButton variant="outlined" onClick={() => void query.refetch()}>
                    {WORDS.lookAgain}
                  </ShowButton>
                ),
              }
            : undefined
        }
      >
        {(units) =>
          units.map((unit) => (
            <FoundUnit
              key={unit.unit}
              unit={unit}
              takeOver={(ownership) =>
                unwrap(
                  client.POST('/api/places/{place}/found', {
                    params: { path: { place } },
                    body: {
                      unit: unit.unit,
                      request: newRequest(),
                      ...(ownership === undefined ? {} : { ownership }),
                    },
                  }),
                )
              }
            />
          ))
        }
      </Panel>
    </Box>
  );
}
