/** Finishing: how cloth is smoothed and how thick it is where it is seen and handed over. Never where it is computed. */
import { edit } from '../state/project';
import { useScene } from '../state/queries';
import { clothOf } from '../state/value';
import { Toggle } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Line, Note, Section } from '../ui/section';

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
            {on && (
              <>
                <NumberField path={`${path}/smooth`} of={b.name} whole otherwise={1} />
                <NumberField path={`${path}/thickness`} of={b.name} otherwise={0} />
              </>
            )}
          </div>
        );
      })}
      <Note>
        {any
          ? 'In this order: smoothed, then thick. The frames that are kept stay as they were computed.'
          : 'Off: cloth is seen and handed over as it is computed.'}
      </Note>
    </Section>
  );
}
