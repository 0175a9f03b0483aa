import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { Link } from 'react-router';

import type { Api } from '../../api/client';
import { counted } from '../../ui/format';

export type FamilyIndexProps = { families: Api<'FamilyLine'>[]; chosen: string | undefined };

/** The families by name. */
export function FamilyIndex({ families, chosen }: FamilyIndexProps) {
  return (
    <Box component="nav" aria-label="Families">
      <Box component="ul" sx={{ listStyle: 'none', m: 0, p: 0, mb: 3 }}>
        {families.map((family) => {
          const isHere = family.codename === chosen;
          return (
            <Box component="li" key={family.codename} sx={{ py: 0.75 }}>
              <Typography
                component={Link}
                to={`/families/${family.codename}`}
                aria-current={isHere ? 'page' : undefined}
                sx={{
                  color: 'text.primary',
                  fontWeight: isHere ? 700 : 450,
                  textUnderlineOffset: 4,
                  ...(isHere && {
                    borderLeft: 4,
                    borderColor: 'primary.main',
                    pl: 1,
                    textDecoration: 'none',
                  }),
                }}
              >
                {family.name}
              </Typography>
              <Typography variant="body2" color="text.secondary" sx={isHere ? { pl: 1.5 } : {}}>
                {family.form}
                {family.units > 0 && `, ${counted(family.units, 'unit', 'units')} here`}
                {family.origin !== 'shipped' && ', yours'}
              </Typography>
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}
