import { Select, Switch } from 'radix-ui';
import { useScene, setValue } from '../store/scene';
import { at } from '../store/pointer';

const LINE = 'grid h-7 grid-cols-[96px_minmax(0,1fr)] items-center gap-2 px-4 pl-9';

/** One of a few words. */
export function ChoiceField(props: { label: string; value: string; options: { value: string; label: string }[]; onChoose: (v: string) => void }) {
  const { label, value, options, onChoose } = props;
  return (
    <div className={LINE}>
      <span className="truncate text-faded">{label}</span>
      <Select.Root value={value} onValueChange={onChoose}>
        <Select.Trigger aria-label={label} className="flex h-6 items-center justify-between rounded-[5px] border border-line-strong bg-field px-2">
          <Select.Value />
          <Select.Icon className="text-faded">⌄</Select.Icon>
        </Select.Trigger>
        <Select.Portal>
          <Select.Content position="popper" sideOffset={3} className="z-50 min-w-32 rounded-md border border-line-strong bg-raised p-1 shadow-md">
            <Select.Viewport>
              {options.map((o) => (
                <Select.Item key={o.value} value={o.value} className="rounded px-2 py-1 outline-none data-[highlighted]:bg-woad-wash">
                  <Select.ItemText>{o.label}</Select.ItemText>
                </Select.Item>
              ))}
            </Select.Viewport>
          </Select.Content>
        </Select.Portal>
      </Select.Root>
    </div>
  );
}

/** A switch for a yes or no in the scene. */
export function SwitchField({ label, path, of }: { label: string; path: string; of: string }) {
  const on = useScene((s) => Boolean(at(s.project?.scene, path)));
  return (
    <div className={LINE}>
      <span className="text-faded">{label}</span>
      <Toggle label={`${of} ${label}`} on={on} onTurn={(v) => void setValue(`${of} ${v ? 'on' : 'off'}`, path, v)} />
    </div>
  );
}

export function Toggle({ label, on, onTurn }: { label: string; on: boolean; onTurn: (on: boolean) => void }) {
  return (
    <Switch.Root aria-label={label} checked={on} onCheckedChange={onTurn} className="h-4.5 w-8 rounded-full border border-line-strong bg-sunk data-[state=checked]:border-moss data-[state=checked]:bg-moss">
      <Switch.Thumb className="block size-3.5 translate-x-px rounded-full bg-raised shadow transition-transform data-[state=checked]:translate-x-[15px]" />
    </Switch.Root>
  );
}
