/** A project on one sheet of paper, for whoever comes next: what it looks like, what it is made of, what acts, what it took and what is wrong. */
import { useEffect, useState } from 'react';
import { Link } from 'wouter';
import type { Body, Lane } from '../api/http';
import { snagRuns } from '../loom/snags';
import { laneWords, snagRunWords, tookWords } from '../loom/words';
import { at, entries, facts, unitAt } from '../state/pointer';
import { leave, show } from '../state/project';
import { grows, isStrands, useLanes, useProject, useScene, useSchema } from '../state/queries';
import { useTakes } from '../state/takes';
import { clothOf, isMotion, kindOf, motionWords, type Value } from '../state/value';
import { Button } from '../ui/button';
import { shownIn, showRounded } from '../ui/sum';
import { pictureOf } from './go';

const NONE: Lane[] = [];

export function SheetPage({ id }: { id: number }) {
  const [fault, setFault] = useState('');
  const name = useProject((p) => p.name);
  useEffect(() => {
    let here = true;
    show(id).catch((e: Error) => here && setFault(e.message));
    return () => {
      here = false;
      leave();
    };
  }, [id]);
  useEffect(() => {
    document.title = name ? `${name}, sheet · Nematon` : 'Nematon';
  }, [name]);
  return (
    <main className="h-full overflow-y-auto bg-ground print:h-auto print:overflow-visible print:bg-white">
      <div className="mx-auto max-w-[860px] px-8 py-6 print:max-w-none print:p-0">
        <nav className="mb-4 flex items-center gap-2 print:hidden">
          <Link href={`/projects/${id}`} className="mr-auto font-semibold text-woad hover:underline">
            Back to {name ?? 'the project'}
          </Link>
          <Button look="main" disabled={!name} onClick={() => print()}>
            Print
          </Button>
        </nav>
        {fault && (
          <p role="alert" className="text-madder">
            {fault}
          </p>
        )}
        {!name && !fault && <p className="text-faded">Looking it up…</p>}
        {name && <Sheet id={id} />}
      </div>
    </main>
  );
}

function Sheet({ id }: { id: number }) {
  const project = useProject((p) => p)!;
  const lanes = useLanes((l) => l) ?? NONE;
  const takes = useTakes();
  const { scene } = project;
  const { first, last, rate, quality, substeps, settle, loop } = scene.frames;
  const facts = [
    `frames ${first} to ${last}, ${rate ?? 24} a second, ${((last - first) / (rate ?? 24)).toFixed(2)} s`,
    substeps == null ? `quality ${quality ?? 'fine'}` : `${substeps} sub-steps a frame`,
    ...(settle ? [`settles for ${settle.seconds} s at most`] : []),
    ...(loop ? [`loop of ${loop.length} frames from ${loop.from}, ${loop.blend ?? 0} blended`] : []),
  ];
  return (
    <article
      className="rounded-lg border border-line bg-raised px-7 py-6 text-[12.500px] print:border-0 print:bg-white print:p-0"
      data-testid="sheet"
    >
      <header className="flex items-baseline justify-between gap-4">
        <h1 className="text-[22px] font-semibold tracking-tight">{project.name}</h1>
        <p className="num text-faded">{new Date().toLocaleDateString()}</p>
      </header>
      <p className="mb-3 text-faded">{facts.join('; ')}</p>
      <img
        src={pictureOf(id) ?? `/api/projects/${id}/picture`}
        alt=""
        className="mb-4 max-h-[360px] w-full rounded bg-sunk object-cover print:max-h-[300px]"
      />
      <Part title="Bodies">
        {Object.entries(scene.bodies).map(([key, body]) => (
          <BodyRow key={key} id={key} body={body} />
        ))}
      </Part>
      <Part title="Air">
        {Object.entries(scene.fields ?? {}).map(([key, f]) => {
          const kind = Object.keys(f.act)[0]!;
          return (
            <Entry key={key} name={f.name} said={f.on === false ? 'off' : kind}>
              <Numbers base={`/fields/${key}/act/${kind}`} />
              {f.when ? `, frames ${f.when.from} to ${f.when.until}` : ''}
              {f.zone ? ', in a zone' : ''}
            </Entry>
          );
        })}
      </Part>
      <Part title="Contact">
        {scene.floor && <Entry name="Floor" said={`at ${scene.floor.height ?? 0} m`} />}
        {Object.entries(scene.colliders ?? {}).map(([key, c]) => {
          const kind = Object.keys(c.form)[0]!;
          return (
            <Entry key={key} name={c.name} said={c.on === false ? 'off' : kind}>
              <Numbers base={`/colliders/${key}/form/${kind}`} />
            </Entry>
          );
        })}
      </Part>
      <Part title="Computed">
        {lanes.map((l) => (
          <Entry key={l.body} name={l.name} said={laneWords(l)}>
            {[l.took.length > 0 ? tookWords(l) : '', ...snagRuns(l).map((r) => snagRunWords(r, isStrands(l.body)))]
              .filter(Boolean)
              .join('; ')}
            {l.fault ?? ''}
          </Entry>
        ))}
      </Part>
      <Part title="Takes">
        {takes.map((t) => (
          <Entry key={t.id} name={`${t.starred ? '★ ' : ''}${t.name}`} said={new Date(1000 * t.made).toLocaleDateString()}>
            {[
              t.note,
              ...t.notes.map(
                (n) => `frame ${n.frame}${n.body ? `, ${scene.bodies[n.body]?.name ?? 'a body that is gone'}` : ''}: ${n.words}`,
              ),
            ]
              .filter(Boolean)
              .join('; ')}
          </Entry>
        ))}
      </Part>
    </article>
  );
}

/** What there is none of is not on the sheet. */
function Part({ title, children }: { title: string; children: React.ReactNode }) {
  const any = [children].flat(2).some(Boolean);
  if (!any) return null;
  return (
    <section className="mb-3 break-inside-avoid">
      <h2 className="mb-1 border-b border-line-strong text-[13px] font-semibold">{title}</h2>
      <dl>{children}</dl>
    </section>
  );
}

function Entry({ name, said, children }: { name: string; said: string; children?: React.ReactNode }) {
  return (
    <div className="grid grid-cols-[150px_110px_minmax(0,1fr)] gap-3 py-[2px]">
      <dt className="truncate font-semibold">{name}</dt>
      <dd className="text-faded">{said}</dd>
      <dd>{children}</dd>
    </div>
  );
}

function BodyRow({ id, body }: { id: string; body: Body }) {
  const kind = kindOf(body);
  const holds = Object.values(body.grips ?? {}).map((g) => g.name);
  return (
    <Entry name={body.name} said={clothOf(body)?.matter?.preset ?? kind}>
      <Numbers base={clothOf(body) ? `/bodies/${id}/kind/cloth/matter` : `/bodies/${id}/kind/${kind}`} />
      {grows(body) ? '' : holds.length > 0 ? `; held by ${holds.join(', ')}` : '; held by nothing'}
    </Entry>
  );
}

/** The numbers of an object with their units; what moves says how. */
function Numbers({ base }: { base: string }) {
  const schema = useSchema();
  const scene = useScene((s) => s);
  const words = entries(schema, base).flatMap((e) => {
    const path = `${base}/${e.key}`;
    const value = at(scene, path) as Value | Value[] | string | undefined;
    // What is nothing says nothing.
    if (value === undefined || value === null || value === 0) return [];
    const [unit, factor] = shownIn(unitAt(scene, schema, path) || facts(schema, path).unit);
    const one = (v: Value) => (isMotion(v) ? motionWords(v).toLowerCase() : showRounded((v as number) * factor, unit));
    if (typeof value === 'string') return [`${e.title.toLowerCase()} ${value}`];
    const shown = Array.isArray(value) ? value.map(one).join(', ') : one(value);
    const named = (e.row ? `${e.row} ${e.part ?? ''}`.trim() : e.title).replace(',', '');
    const moves = [value].flat().every(isMotion);
    return [`${named.toLowerCase()} ${shown}${unit && !moves ? ` ${unit}` : ''}`];
  });
  return <>{words.join(', ')}</>;
}
