import { useRef, useState } from 'react';
import { setHere, useHere } from '../state/here';
import { setValue } from '../state/project';
import { at } from '../state/pointer';
import { useScene } from '../state/queries';

type Props = {
  label: string;
  path: string;
  /** The thing whose name it is, for who hears the page. */
  of?: string;
  /** Names that it can't have, as they are others'. */
  taken?: string[];
  /** What is done with a new name instead of setting it there. */
  onName?: (name: string) => Promise<unknown>;
};

/** A name in the scene. */
export function TextField({ label, path, of, taken = [], onName }: Props) {
  const value = useScene((s) => at(s, path) as string | undefined) ?? '';
  const fault = useHere((h) => h.faults[path]);
  const [draft, setDraftNow] = useState<string | null>(null);
  const [bad, setBad] = useState<string | null>(null);
  const held = useRef<string | null>(null);
  const setDraft = (d: string | null) => {
    held.current = d;
    setDraftNow(d);
  };
  const enter = () => {
    const next = held.current?.trim();
    if (!next || next === value) return setDraft(null);
    if (taken.includes(next)) {
      setBad(`“${next}” is another’s name already`);
      return setDraft(null);
    }
    const mine = held.current;
    if (fault) setHere({ faults: {} });
    void (onName ? onName(next) : setValue(`${value} renamed`, path, next)).then(() => held.current === mine && setDraft(null));
  };
  const told = bad ?? fault;
  return (
    <div className="px-4 pl-9">
      <label className="grid h-7 grid-cols-[88px_minmax(0,1fr)] items-center gap-2">
        <span className="text-faded">{label}</span>
        <input
          data-path={path}
          aria-label={of ? `${of} ${label.toLowerCase()}` : undefined}
          data-typing={draft === null ? undefined : 'yes'}
          className="h-6 min-w-0 rounded-[5px] border border-line-strong bg-field px-2"
          value={draft ?? value}
          maxLength={80}
          autoComplete="off"
          onChange={(e) => {
            setBad(null);
            setDraft(e.target.value);
          }}
          onBlur={enter}
          onKeyDown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur();
            if (e.key === 'Escape') {
              setBad(null);
              setDraft(null);
              e.currentTarget.blur();
            }
          }}
        />
      </label>
      {told && (
        <p role="alert" className="pb-1 pl-[96px] text-[12px] text-madder">
          {told}
        </p>
      )}
    </div>
  );
}
