/** What a body is seen with: a dye, or a picture laid on by its UVs. Says nothing about how it moves. */
import { useRef } from 'react';
import type { Body } from '../api/http';
import { DYED, DYES, pictureOf } from '../state/dyes';
import { bringInPicture } from '../state/maps';
import { edit } from '../state/project';
import { useShape } from '../state/queries';
import { clothOf } from '../state/value';
import { Button } from '../ui/button';
import { FileInput } from '../ui/file-input';
import { Line, Note } from '../ui/section';
import { chooseMesh } from './import-mesh';
import { askPiecesFor } from './things';

export function Look({ id, body }: { id: string; body: Body }) {
  const of = body.name;
  const base = `/bodies/${id}`;
  return (
    <>
      <Line label="Dye">
        <span role="radiogroup" aria-label={`${of} dye`} className="flex gap-1">
          {DYES.map((d) => (
            <button
              key={d}
              type="button"
              role="radio"
              aria-checked={(body.dye ?? 'linen') === d}
              aria-label={d}
              title={d}
              style={{ background: DYED[d] }}
              className={`size-5 rounded-full border ${(body.dye ?? 'linen') === d ? 'border-2 border-ink' : 'border-line-strong'}`}
              onClick={() =>
                void edit(`${of} dyed ${d}`, [
                  d === 'linen' && body.dye ? { op: 'remove', path: `${base}/dye` } : { op: 'add', path: `${base}/dye`, value: d },
                ])
              }
            />
          ))}
        </span>
      </Line>
      {clothOf(body) && <Picture id={id} body={body} />}
      {'drift' in body.kind && <SeenAs id={id} of={of} own={body.kind.drift} />}
    </>
  );
}

/** What each loose piece is seen as. */
function SeenAs({ id, of, own }: { id: string; of: string; own: Extract<Body['kind'], { drift: unknown }>['drift'] }) {
  const path = `/bodies/${id}/kind/drift/mesh`;
  return (
    <Line label="Seen as">
      <span className="flex items-center gap-1.5">
        {own.mesh ? 'a mesh' : own.flies === undefined || own.flies === 'ball' ? 'a ball' : 'a leaf'}
        <Button
          look="quiet"
          onClick={() => {
            askPiecesFor(id);
            chooseMesh('piece');
          }}
        >
          {own.mesh ? 'another…' : 'a mesh…'}
        </Button>
        {own.mesh && (
          <Button
            look="quiet"
            aria-label={`Remove the mesh of ${of}`}
            onClick={() => void edit(`${of} without their mesh`, [{ op: 'remove', path }])}
          >
            remove
          </Button>
        )}
      </span>
    </Line>
  );
}

function Picture({ id, body }: { id: string; body: Body }) {
  const { shape } = useShape(id);
  const input = useRef<HTMLInputElement>(null);
  const path = `/bodies/${id}/picture`;
  const from = pictureOf(body);
  const lay = async (file: File) => {
    const blob = await bringInPicture(file);
    if (blob) await edit(`${body.name} seen with ${file.name}`, [{ op: 'add', path, value: { blob } }]);
  };
  return (
    <>
      <Line label="Picture">
        <span className="flex items-center gap-1.5">
          {from && (
            <img src={from} alt={`Picture of ${body.name}`} className="size-6 rounded-[4px] border border-line-strong object-cover" />
          )}
          <Button look="quiet" onClick={() => input.current?.click()}>
            {from ? 'another…' : 'lay on…'}
          </Button>
          {from && (
            <Button
              look="quiet"
              aria-label={`Remove the picture of ${body.name}`}
              onClick={() => void edit(`${body.name} without its picture`, [{ op: 'remove', path }])}
            >
              remove
            </Button>
          )}
        </span>
      </Line>
      {from && shape?.uvTriangles.length === 0 && (
        <Note tone="care">Its mesh has no UVs to lay a picture on by: it is seen in its dye.</Note>
      )}
      <FileInput ref={input} label={`Picture to see ${body.name} with`} read="picture" onFile={(file) => void lay(file)} />
    </>
  );
}
