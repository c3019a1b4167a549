/** All projects: a small picture each, and what can be done with them. */
import { useMutation } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'wouter';
import { bytes, http, told, type Summary } from '../api/http';
import { download } from '../api/download';
import { say } from '../state/here';
import { leave, tell } from '../state/project';
import { client, useProjects } from '../state/queries';
import { Menu } from '../bench/thing-tools';
import { Button } from '../ui/button';
import { FileInput } from '../ui/file-input';
import { Choice } from '../ui/choice-field';
import { MessageBar } from '../ui/message-bar';
import { newProject, openProject } from './go';

const again = () => client.invalidateQueries({ queryKey: ['projects'] });
const DAYS = 30;
const ORDERS = [
  { value: 'changed', label: 'last changed first' },
  { value: 'name', label: 'by name' },
];

export function ProjectsPage() {
  const { data: projects, isPending, error } = useProjects(false);
  const { data: removed } = useProjects(true);
  const [by, setBy] = useState<'changed' | 'name'>('changed');
  const [sought, setSought] = useState('');
  const shown = (projects ?? [])
    .filter((p) => p.name.toLowerCase().includes(sought.trim().toLowerCase()))
    .sort((a, b) => (by === 'name' ? a.name.localeCompare(b.name) || a.id - b.id : b.changed - a.changed || b.id - a.id));
  useEffect(() => {
    leave();
    document.title = 'Projects · Nematon';
  }, []);
  return (
    <main className="relative h-full overflow-y-auto bg-ground">
      <div className="mx-auto max-w-[1360px] px-6 pt-8 pb-20">
        <header className="flex flex-wrap items-end gap-3">
          <div className="mr-auto">
            <p className="text-[15px] font-bold tracking-wide">Nematon</p>
            <h1 className="text-[26px] font-semibold tracking-tight">Projects</h1>
          </div>
          <FromFile />
          <Button look="main" onClick={newProject}>
            New project
          </Button>
        </header>
        {projects && projects.length > 1 && (
          <div className="mt-5 flex flex-wrap items-center gap-3">
            <input
              type="search"
              aria-label="Search projects"
              placeholder="Search"
              className="h-7 w-56 rounded-[5px] border border-line-strong bg-field px-2"
              value={sought}
              onChange={(e) => setSought(e.target.value)}
              onKeyDown={(e) => e.key === 'Escape' && setSought('')}
            />
            <Choice label="In the order of" value={by} options={ORDERS} onChoose={(v) => setBy(v as typeof by)} />
            {shown.length === 0 && <p className="text-faded">No project is called so.</p>}
          </div>
        )}
        {isPending && <p className="mt-8 text-faded">Looking for them…</p>}
        {error && (
          <p role="alert" className="mt-8 text-madder">
            {error.message}
          </p>
        )}
        {projects?.length === 0 && <p className="mt-8">There is none yet. Start a new one, or bring one in from a file.</p>}
        <ul
          className={`mt-6 grid gap-5 ${shown.length <= 6 ? 'grid-cols-[repeat(auto-fill,minmax(min(100%,340px),1fr))]' : 'grid-cols-[repeat(auto-fill,minmax(240px,1fr))]'}`}
        >
          {shown.map((p) => (
            <Card key={p.id} project={p} />
          ))}
        </ul>
        {removed && removed.length > 0 && (
          <section className="mt-12">
            <h2 className="border-t border-line pt-3 text-[15px] font-semibold">Removed</h2>
            <p className="text-faded">Each is kept for {DAYS} days, then gone for good.</p>
            <ul className="mt-2">
              {removed.map((p) => (
                <Removed key={p.id} project={p} />
              ))}
            </ul>
          </section>
        )}
      </div>
      <MessageBar page />
    </main>
  );
}

function Card({ project }: { project: Summary }) {
  const [naming, setNaming] = useState(false);
  const params = { path: { id: project.id } };
  const copy = useMutation({
    mutationFn: () => told(http.POST('/api/projects/{id}/copy', { params })),
    onSettled: again,
    onError: (e) => tell(e),
  });
  const remove = useMutation({
    mutationFn: () => told(http.DELETE('/api/projects/{id}', { params })),
    onSettled: again,
    onError: (e) => tell(e),
    onSuccess: () =>
      say({
        title: `${project.name} is removed`,
        detail: `It is kept for ${DAYS} days, below.`,
        tone: 'note',
        cure: { label: 'Bring it back', act: () => void bringBack(project.id) },
      }),
  });
  return (
    <li className="group overflow-hidden rounded-lg border border-line bg-raised shadow-sm hover:border-line-strong" data-testid="project">
      <Link href={`/projects/${project.id}`} aria-label={`Open ${project.name}`} className="block">
        <Picture project={project} />
      </Link>
      <div className="flex h-10 items-center gap-1 pr-2 pl-3">
        {naming ? (
          <NameBox project={project} onDone={() => setNaming(false)} />
        ) : (
          <Link href={`/projects/${project.id}`} tabIndex={-1} className="min-w-0 flex-1 truncate font-semibold" title={project.name}>
            {project.name}
          </Link>
        )}
        <span className="num shrink-0 text-[12px] text-faded" title="When it was last worked on">
          {when(project.changed)}
        </span>
        <Menu
          label={`More for ${project.name}`}
          items={[
            { name: 'Open', act: () => openProject(project.id) },
            { name: 'Rename', act: () => setNaming(true) },
            { name: 'Copy', act: () => copy.mutate() },
            {
              name: 'Export',
              act: () => void download(`/projects/${project.id}/export`, new AbortController().signal, () => {}).catch(tell),
            },
            { name: 'Remove', act: () => remove.mutate() },
          ]}
        />
      </div>
    </li>
  );
}

/** When it was worked on: the time today, else the day. */
function when(changed: number): string {
  const at = new Date(1000 * changed);
  const today = new Date().toDateString() === at.toDateString();
  return today
    ? at.toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })
    : at.toLocaleDateString([], {
        day: 'numeric',
        month: 'short',
        ...(at.getFullYear() === new Date().getFullYear() ? {} : { year: 'numeric' }),
      });
}

/** The last picture that was kept of it, or cloth that has not been worked on. */
function Picture({ project }: { project: Summary }) {
  if (project.pictured == null) {
    return (
      <svg viewBox="0 0 320 200" className="block w-full bg-sunk" aria-hidden>
        <path
          d="M60 66c40-26 74 22 110-4s66-10 96 6v74c-34 20-60-16-98 2s-70 20-108-6z"
          fill="var(--ground)"
          stroke="var(--line)"
          strokeWidth="2"
        />
        <path d="M60 66c40-26 74 22 110-4s66-10 96 6" fill="none" stroke="var(--faded)" strokeWidth="2" strokeDasharray="5 5" />
      </svg>
    );
  }
  return (
    <img
      src={`/api/projects/${project.id}/picture?of=${project.pictured}`}
      alt=""
      className="block aspect-[8/5] w-full bg-sunk object-cover"
    />
  );
}

function NameBox({ project, onDone }: { project: Summary; onDone: () => void }) {
  const [name, setName] = useState(project.name);
  const escaped = useRef(false);
  const keep = async () => {
    onDone();
    const next = name.trim();
    if (escaped.current || !next || next === project.name) return;
    try {
      const params = { path: { id: project.id } };
      await http.PUT('/api/projects/{id}/name', { params, body: { name: next } });
    } catch (e) {
      tell(e);
    }
    void again();
  };
  return (
    <input
      autoFocus
      aria-label={`Name of ${project.name}`}
      maxLength={120}
      className="h-7 min-w-0 flex-1 rounded-[5px] border border-line-strong bg-field px-2"
      value={name}
      onChange={(e) => setName(e.target.value)}
      onFocus={(e) => e.target.select()}
      onBlur={() => void keep()}
      onKeyDown={(e) => {
        if (e.key === 'Escape') escaped.current = true;
        if (e.key === 'Enter' || e.key === 'Escape') e.currentTarget.blur();
      }}
    />
  );
}

function FromFile() {
  const input = useRef<HTMLInputElement>(null);
  const bring = useMutation({
    mutationFn: (file: File) => told(http.POST('/api/projects/import', bytes(file))),
    onSuccess: (p) => openProject(p.id),
    onError: (e) => tell(e),
    onSettled: again,
  });
  return (
    <>
      <Button disabled={bring.isPending} hint="A zip that was exported here, or a scene as JSON" onClick={() => input.current?.click()}>
        {bring.isPending ? 'Bringing it in…' : 'From a file'}
      </Button>
      <FileInput ref={input} id="project-file" label="File of a project" read="project" onFile={(file) => bring.mutate(file)} />
    </>
  );
}

async function bringBack(id: number) {
  try {
    await http.POST('/api/projects/{id}/restore', { params: { path: { id } } });
    say(null);
  } catch (e) {
    tell(e);
  }
  void again();
}

function Removed({ project }: { project: Summary }) {
  const gone = Math.min(DAYS, Math.max(0, Math.ceil(DAYS - (Date.now() / 1000 - (project.removed ?? 0)) / 86_400)));
  return (
    <li className="flex items-center gap-3 border-b border-line py-1.5">
      <span className="min-w-0 flex-1 truncate">{project.name}</span>
      <span className="text-[12px] text-faded">
        {gone} {gone === 1 ? 'day' : 'days'} left
      </span>
      <Button aria-label={`Bring back ${project.name}`} onClick={() => void bringBack(project.id)}>
        Bring back
      </Button>
    </li>
  );
}
