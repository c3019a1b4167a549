/** Says beside a number of a matter that a map scales it, and leads to that map. */
import { DYED_DEEP } from '../state/dyes';
import { useScene } from '../state/queries';
import { goTo, setView } from '../state/view';

const NUMBER = /^\/bodies\/([^/]+)\/(?:kind\/cloth\/matter\/([a-z_]+)|follow)$/;

/** What a map scales, by the number: warp and weft are scaled together. */
const scaledBy = (number: string | undefined) => (number === undefined ? 'follow' : number.replace(/_(warp|weft)$/, ''));

export function ScaledMark({ path }: { path: string }) {
  const found = NUMBER.exec(path);
  const by = useScene((s) => {
    const b = found ? s.bodies[found[1]!] : undefined;
    const own = b?.scaled?.[scaledBy(found?.[2]) as 'bend'];
    const map = own && b?.maps?.[own.map];
    return own && map
      ? { body: found![1]!, map: own.map, name: map.name, dye: map.dye ?? 'woad', least: own.least ?? 0, most: own.most ?? 1 }
      : null;
  });
  if (!by) return null;
  return (
    <button
      type="button"
      aria-label={`Scaled by ${by.name}`}
      title={`Scaled by the map “${by.name}”, ${by.least} to ${by.most} times. Press to see it`}
      className="ml-1 inline-block align-[-2px]"
      onClick={() => {
        goTo('Hold');
        setView({ body: by.body, map: by.map, layer: null, points: [] });
      }}
    >
      <svg width="9" height="12" aria-hidden>
        <path d="M4.500 1C6 4 8 5.500 8 7.800a3.500 3.500 0 0 1-7 0C1 5.500 3 4 4.500 1z" fill={DYED_DEEP[by.dye]} />
      </svg>
    </button>
  );
}
