import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { familyQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { useNews } from '../../ui/news';
import { Panel } from '../../ui/Panel';
import { ProblemNote } from '../../ui/ProblemNote';
import { Section } from '../../ui/Section';
import { GuideList } from './GuideList';
import { GuidePartitions } from './GuidePartitions';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { DownloadButton } from '../../ui/DownloadButton';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNoteOnBench } from '../../ui/useMay';

export type FamilyGuideProps = { codename: string; onEdit: (text: string) => void };

const ORIGINS = { shipped: WORDS.shipped, replaced: WORDS.replaced, own: WORDS.own };

/** One family, to read. */
export function FamilyGuide({ codename, onEdit }: FamilyGuideProps) {
  const query = useQuery(familyQuery(codename));
  const news = useNews();
  const navigate = useNavigate();
  const note = useMayNoteOnBench();
  const drop = useChange(
    (page: Api<'FamilyPage'>) =>
      unwrap(
        client.DELETE('/api/families/{family}', {
          params: { path: { family: page.codename }, query: { request: newRequest() } },
        }),
      ),
    undefined,
    (_, page) => {
      news({ text: `${page.name}: your file is gone`, undo: { run: () => onEdit(page.text) } });
      // A shipped file counts again; where there is none, the list is left.
      if (page.origin === 'own') void navigate('/families');
    },
  );
  return (
    <Panel query={query}>
      {(page) => (
        <Box component="article" sx={{ minWidth: 0 }}>
          <Box sx={{ display: 'flex', gap: 1.5, alignItems: 'center', flexWrap: 'wrap' }}>
            <Typography variant="h1" component="h2" sx={{ flexGrow: 1 }}>
              {page.name}
            </Typography>
            <ShowButton onClick={() => onEdit(page.text)}>{WORDS.edit}</ShowButton>
            <DownloadButton href={`/api/families/${codename}/file`}>{WORDS.export}</DownloadButton>
            {page.origin !== 'shipped' && (
              <Button may={note} isOff={drop.isPending} onClick={() => drop.mutate(page)}>
                {WORDS.drop}
              </Button>
            )}
          </Box>
          <Typography sx={{ mb: 2.5 }}>
            {page.form}, <Typography variant="code">{page.codename}</Typography>,{' '}
            {ORIGINS[page.origin]}
          </Typography>
          {page.on_older_text.length > 0 && (
            <Typography sx={{ color: 'care', mb: 2 }}>
              {page.on_older_text.join(', ')}: {WORDS.older}
            </Typography>
          )}
          {drop.error !== null && <ProblemNote error={drop.error} />}
          <GuideList title={WORDS.lock} lines={page.lock} />
          <GuideList
            title={WORDS.cautions}
            lines={page.cautions.map((one) => ({
              title: one.text,
              text: `${one.reason} Noted ${one.date}.`,
            }))}
          />
          <Section title={WORDS.variants}>
            {page.variants.map((variant) => (
              <Typography key={variant.code}>
                <Typography component="span" variant="code">
                  {variant.code}
                </Typography>
                {`: chipset ${variant.chipset}, sold in ${variant.regions.join(', ')}; `}
                {variant.shares_images.length === 0
                  ? 'shares images with no other.'
                  : `shares images with ${variant.shares_images.join(', ')}.`}
              </Typography>
            ))}
          </Section>
          <GuideList title={WORDS.places} lines={page.places} />
          <GuideList title={WORDS.builds} lines={page.builds} />
          <GuideList title={WORDS.packages} lines={page.packages} />
          <GuideList title={WORDS.modes} lines={page.modes} />
          <GuideList title={WORDS.ways} lines={page.ways} />
          <GuidePartitions partitions={page.partitions} />
          <GuideList
            title={WORDS.costs}
            lines={page.consequences.map((one) => ({ title: one.area, text: one.text }))}
          />
          <GuideList
            title={WORDS.marks}
            lines={page.marks.map((one) => ({ title: one.text, text: one.set_by }))}
          />
          <GuideList
            title={WORDS.after}
            lines={page.after_care.map((one) => ({
              title: one.cause,
              text: `${one.cure} ${one.loses}`,
            }))}
          />
        </Box>
      )}
    </Panel>
  );
}
