/** Names written at places of bodies, over the view. */
import * as T from 'three';

/** Words, at a point of a body or at a place in the world; with a pin they stand above it. */
export type Label = { text: string; pin?: boolean } & ({ body: string; point: number } | { at: number[] });

export class Labels {
  private host: HTMLElement | null = null;
  private shown: { label: Label; element: HTMLElement }[] = [];
  private of: Record<string, Label[]> = {};

  mount(host: HTMLElement) {
    this.host = host;
  }

  /** Those of one who has any; others keep theirs. */
  set(whose: string, own: Label[]) {
    this.of[whose] = own;
    const labels = Object.values(this.of).flat();
    for (const s of this.shown) s.element.remove();
    this.shown = labels.map((label) => {
      const element = document.createElement('span');
      element.className = 'absolute top-0 left-0 rounded bg-raised/85 px-1.5 text-[12px] whitespace-nowrap text-ink';
      element.textContent = label.text;
      if (label.pin) element.classList.add('pin', 'border', 'border-line-strong');
      this.host?.append(element);
      return { label, element };
    });
  }

  /** Puts them where their points are on the canvas. */
  place(camera: T.Camera, canvas: HTMLCanvasElement, where: (body: string, point: number) => T.Vector3 | null) {
    for (const { label, element } of this.shown) {
      const at = ('at' in label ? new T.Vector3().fromArray(label.at) : where(label.body, label.point))?.project(camera);
      element.hidden = !at || at.z > 1;
      if (!at) continue;
      const [x, y] = [((at.x + 1) / 2) * canvas.clientWidth, ((1 - at.y) / 2) * canvas.clientHeight];
      const up = label.pin ? '100% - 18px' : '50%';
      element.style.transform = `translate(calc(${x.toFixed(1)}px - 50%), calc(${y.toFixed(1)}px - ${up}))`;
    }
  }
}
