import { useState } from 'react';
import { setValue, useScene } from '../store/scene';
import { at } from '../store/pointer';

/** A name in the scene. */
export function TextField({ label, path }: { label: string; path: string }) {
  const value = useScene((s) => (at(s.project?.scene, path) as string | undefined) ?? '');
  const fault = useScene((s) => s.faults[path]);
  const [draft, setDraft] = useState<string | null>(null);
  const commit = () => {
    const next = draft?.trim();
    setDraft(null);
    if (next && next !== value) void setValue(`${value} renamed`, path, next);
  };
  return (
    <div className="px-4 pl-9">
      <label className="grid h-7 grid-cols-[96px_minmax(0,1fr)] items-center gap-2">
        <span className="text-faded">{label}</span>
        <input
          data-path={path}
          className="h-6 min-w-0 rounded-[5px] border border-line-strong bg-field px-2"
          value={draft ?? value}
          maxLength={80}
          onChange={(e) => setDraft(e.target.value)}
          onBlur={commit}
          onKeyDown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur();
            if (e.key === 'Escape') setDraft(null);
          }}
        />
      </label>
      {fault && <p role="alert" className="pb-1 pl-[104px] text-[12px] text-madder">{fault}</p>}
    </div>
  );
}
