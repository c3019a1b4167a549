/** The comb over the view: what it does, how wide and strong it is, what it leaves as it is; and a ring where it would comb. */
import { useScene } from '../state/queries';
import { setView, useView, type Combs } from '../state/view';
import { Choice } from '../ui/choice-field';
import { BAR, Does, EdgeChoice, RadiusAndStrength, Ring } from './brush-tools';
import { stage } from './stage';

const DOES: { key: Combs; name: string; hint: string }[] = [
  { key: 'lay', name: 'Lay', hint: 'Along the stroke; their length stays, and they stay out of what they grow on' },
  { key: 'raise', name: 'Raise', hint: 'Away from what they grow on' },
  { key: 'part', name: 'Part', hint: 'To both sides of the stroke' },
  { key: 'straighten', name: 'Straighten', hint: 'On as they begin' },
  { key: 'even', name: 'Even', hint: 'As those beside them, in way and length' },
  { key: 'longer', name: 'Longer', hint: 'Makes them longer' },
  { key: 'shorter', name: 'Shorter', hint: 'Makes them shorter' },
  { key: 'trim', name: 'Trim', hint: 'Cuts them off where the comb passes' },
];
const NOTHING = '·';

export function CombTools({ body }: { body: string }) {
  const combs = useView((v) => v.combs);
  const spares = useView((v) => v.spares);
  const maps = useScene((s) => s.bodies[body]?.maps) ?? {};
  return (
    <div role="toolbar" aria-label="Comb" className={BAR}>
      <Does of={DOES} is={combs} onPick={(does) => setView({ combs: does })} />
      <RadiusAndStrength />
      <EdgeChoice />
      {Object.keys(maps).length > 0 && (
        <Choice
          label="Spared by"
          value={spares && maps[spares] ? spares : NOTHING}
          options={[
            { value: NOTHING, label: 'sparing none' },
            ...Object.entries(maps).map(([value, m]) => ({ value, label: `sparing ${m.name}` })),
          ]}
          onChoose={(m) => setView({ spares: m === NOTHING ? null : m })}
        />
      )}
    </div>
  );
}

/** A ring where the comb would reach. */
export function CombRing({ body }: { body: string }) {
  return (
    <Ring
      on
      find={(x, y, held) => {
        const at = held ? null : stage.comber.under(body, x, y);
        return at && { size: 2 * stage.painter.pixels(at), slant: [0, 1], word: null };
      }}
    />
  );
}
