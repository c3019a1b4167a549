/** Finishing: how cloth is evened out, smoothed and how thick it is where it is seen and handed over. Never where it is computed. */
import { edit, setValue } from '../state/project';
import { useScene } from '../state/queries';
import type { Body } from '../api/http';
import { clothOf } from '../state/value';
import { Button } from '../ui/button';
import { ChoiceField, Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Fold, Line, Note, Section } from '../ui/section';

type Finish = NonNullable<Body['finish']>;
type Does = NonNullable<Finish['order']>[number];

const NONE = '·';
const ORDER: Does[] = ['even', 'smooth', 'thick'];
const WORDS: Record<Does, string> = { even: 'evened out', smooth: 'smoothed', thick: 'made thick' };

/** How much each of them does; 0 where it does nothing. */
const much = (f: Finish, does: Does) => ({ even: f.even ?? 0, smooth: f.smooth ?? 1, thick: f.thickness ?? 0 })[does];

/** What is done after what, in words. */
export function inWords(f: Finish): string {
  const all = (f.order ?? ORDER).filter((d) => much(f, d) > 0).map((d) => WORDS[d]);
  const words = [...((f.steady ?? 0) > 0 ? ['evened in time'] : []), ...all];
  if (words.length < 2) return words[0] ?? 'as it is computed';
  return `${words.slice(0, -1).join(', ')}, then ${words[words.length - 1]}`;
}

export function Finishing() {
  const bodies = useScene((s) => s.bodies) ?? {};
  const cloths = Object.entries(bodies).filter(([, b]) => clothOf(b));
  if (cloths.length === 0) return null;
  const any = cloths.some(([, b]) => b.finish && b.finish.on !== false);
  return (
    <Section title="Finishing">
      {cloths.map(([id, b]) => {
        const on = b.finish != null && b.finish.on !== false;
        const path = `/bodies/${id}/finish`;
        const turn = (v: boolean) =>
          void edit(`${b.name} ${v ? 'finished' : 'as it is computed'}`, [
            b.finish
              ? { op: 'add', path: `${path}/on`, value: v }
              : { op: 'add', path, value: { smooth: 1, thickness: clothOf(b)?.matter?.thickness ?? 0 } },
          ]);
        return (
          <div key={id}>
            <Line label={b.name}>
              <Toggle label={`${b.name} is finished`} on={on} onTurn={turn} />
            </Line>
            {on && b.finish && <Steps of={b} path={path} finish={b.finish} />}
          </div>
        );
      })}
      <Note>
        {any
          ? 'What is evened or smoothed is not computed: kept frames stay as they were.'
          : 'Off: cloth is seen and handed over as it is computed.'}
      </Note>
    </Section>
  );
}

function Steps({ of, path, finish }: { of: Body; path: string; finish: Finish }) {
  const order = finish.order ?? ORDER;
  const number = (does: Does) => {
    if (does === 'even') return <NumberField path={`${path}/even`} of={of.name} whole otherwise={0} />;
    if (does === 'smooth') return <NumberField path={`${path}/smooth`} of={of.name} whole otherwise={1} />;
    return <NumberField path={`${path}/thickness`} of={of.name} otherwise={0} />;
  };
  const earlier = (k: number) => {
    const next = [...order] as Does[];
    [next[k - 1], next[k]] = [next[k]!, next[k - 1]!];
    void setValue(`${of.name} ${WORDS[order[k]!]} earlier`, `${path}/order`, next);
  };
  const maps = [{ value: NONE, label: 'no map' }, ...Object.entries(of.maps ?? {}).map(([k, m]) => ({ value: k, label: m.name }))];
  const choose = (key: 'by' | 'hides', title: string, map: string) =>
    map !== NONE
      ? void setValue(`${of.name} ${title} ${maps.find((m) => m.value === map)!.label}`, `${path}/${key}`, map)
      : finish[key] && void edit(`${of.name} ${title} no map`, [{ op: 'remove', path: `${path}/${key}` }]);
  return (
    <>
      <NumberField path={`${path}/steady`} of={of.name} whole otherwise={0} />
      {order.map((does, k) => (
        <div key={does} className="relative">
          {k > 0 && (
            <Button
              look="quiet"
              className="absolute top-0 left-3"
              aria-label={`${of.name} ${WORDS[does]} earlier`}
              hint={`Before it is ${WORDS[order[k - 1]!]}`}
              onClick={() => earlier(k)}
            >
              ↑
            </Button>
          )}
          {number(does)}
        </div>
      ))}
      <Fold name="Creases and maps" closed>
        <NumberField path={`${path}/crease`} of={of.name} otherwise={Math.PI / 3} />
        {maps.length > 1 && (
          <>
            {(
              [
                ['by', 'Thick by'],
                ['hides', 'Left out by'],
              ] as const
            ).map(([key, label]) => (
              <ChoiceField
                key={key}
                label={label}
                of={of.name}
                value={finish[key] ?? NONE}
                options={maps}
                onChoose={(m) => choose(key, label.toLowerCase(), m)}
              />
            ))}
          </>
        )}
      </Fold>
      <Note>{`It is ${inWords(finish)}.`}</Note>
    </>
  );
}
