/** Weathers to start from, calm over all of them, and air that is taken along to another project. */
import { addWeather, copiedAir, copyAir, pasteAir, useWeathers } from '../state/air';
import { useScene } from '../state/queries';
import { Choice } from '../ui/choice-field';
import { NumberField } from '../ui/number-field';
import { Line, Section } from '../ui/section';
import { Menu } from './thing-tools';

export function WeatherSection() {
  const weathers = useWeathers();
  const fields = useScene((s) => Object.keys(s.fields ?? {}).length) ?? 0;
  const kept = copiedAir();
  return (
    <Section
      title="Weather"
      action={
        <Menu
          label="More for the weather"
          items={[
            ...(fields > 0 ? [{ name: 'Copy all of it', act: copyAir }] : []),
            {
              name: kept ? `Bring in the ${Object.keys(kept).length} that were copied` : 'Bring in what was copied',
              act: () => void pasteAir(),
            },
          ]}
        />
      }
    >
      <Line label="Begin with">
        <Choice
          label="Begin with a weather"
          value=""
          placeholder="a weather…"
          options={weathers.map((w) => ({ value: w.id, label: `${w.name}: ${w.note}` }))}
          onChoose={(id) => {
            const w = weathers.find((x) => x.id === id);
            if (w) void addWeather(w);
          }}
        />
      </Line>
      <NumberField path="/calm" otherwise={0} of="All air" />
    </Section>
  );
}
