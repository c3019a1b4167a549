import { Command } from 'cmdk';
import { Popover, Select, Switch } from 'radix-ui';
import { useState } from 'react';
import { at } from '../state/pointer';
import { setValue } from '../state/project';
import { useScene } from '../state/queries';
import { Line } from './section';

type Props = {
  label: string;
  of?: string;
  value: string;
  options: { value: string; label: string }[];
  onChoose: (v: string) => void;
  placeholder?: string;
};

/** One of a few words, on a row. */
export const ChoiceField = (props: Props) => (
  <Line label={props.label}>
    <Choice {...props} />
  </Line>
);

/** From so many on they are sought by typing. */
const MANY = 14;

export function Choice({ label, of, value, options, onChoose, placeholder }: Props) {
  if (options.length > MANY) return <Sought {...{ label, value, options, onChoose }} of={of ?? ''} placeholder={placeholder ?? ''} />;
  return (
    <Select.Root value={value} onValueChange={onChoose}>
      <Select.Trigger
        aria-label={of ? `${of} ${label}` : label}
        className="flex h-6 min-w-0 items-center justify-between gap-2 rounded-[5px] border border-line-strong bg-field px-2"
      >
        <span className="truncate">
          <Select.Value placeholder={placeholder} />
        </span>
        <Select.Icon className="text-faded" aria-hidden>
          ⌄
        </Select.Icon>
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={3}
          className="z-50 max-h-[60vh] min-w-32 overflow-auto rounded-md border border-line-strong bg-raised p-1 shadow-md"
        >
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
  );
}

/** A switch for a yes or no in the scene; `says` is what undo calls turning it on and off. */
export function SwitchField({
  label,
  path,
  of,
  says = [label.toLowerCase(), `not ${label.toLowerCase()}`],
}: {
  label: string;
  path: string;
  of: string;
  says?: [string, string];
}) {
  const on = useScene((s) => Boolean(at(s, path))) ?? false;
  return (
    <Line label={label}>
      <Toggle label={`${of} ${label}`} on={on} onTurn={(v) => void setValue(`${of} ${says[v ? 0 : 1]}`, path, v)} />
    </Line>
  );
}

export function Toggle({
  label,
  on,
  disabled = false,
  onTurn,
}: {
  label: string;
  on: boolean;
  disabled?: boolean;
  onTurn: (on: boolean) => void;
}) {
  return (
    <Switch.Root
      aria-label={label}
      checked={on}
      disabled={disabled}
      onCheckedChange={onTurn}
      className="h-4.5 w-8 shrink-0 rounded-full border border-line-strong bg-sunk disabled:opacity-50 data-[state=checked]:border-moss data-[state=checked]:bg-moss"
    >
      <Switch.Thumb className="block size-3.5 translate-x-px rounded-full bg-raised shadow transition-transform data-[state=checked]:translate-x-[15px]" />
    </Switch.Root>
  );
}

/** One of many words: those that have what is typed. */
function Sought({ label, of, value, options, onChoose, placeholder }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        role="combobox"
        aria-label={of ? `${of} ${label}` : label}
        className="flex h-6 min-w-0 items-center justify-between gap-2 rounded-[5px] border border-line-strong bg-field px-2"
      >
        <span className="truncate">{options.find((o) => o.value === value)?.label ?? placeholder}</span>
        <span className="text-faded" aria-hidden>
          ⌄
        </span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={3}
          collisionPadding={8}
          className="z-50 w-64 rounded-md border border-line-strong bg-raised p-1 shadow-md"
        >
          <Command label={label}>
            <Command.Input
              autoFocus
              aria-label={`Search ${label.toLowerCase()}`}
              placeholder={`Search ${options.length}`}
              className="mb-1 h-7 w-full rounded-[5px] border border-line-strong bg-field px-2"
            />
            <Command.List className="max-h-[50vh] overflow-auto">
              <Command.Empty className="px-2 py-1 text-faded">Nothing is called so.</Command.Empty>
              {options.map((o) => (
                <Command.Item
                  key={o.value}
                  value={`${o.label} ${o.value}`}
                  className="cursor-default truncate rounded px-2 py-1 data-[selected=true]:bg-woad-wash"
                  onSelect={() => {
                    setOpen(false);
                    onChoose(o.value);
                  }}
                >
                  {o.label}
                </Command.Item>
              ))}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
