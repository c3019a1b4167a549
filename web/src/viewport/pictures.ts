/** Pictures of what is on screen: a small one to know a project by, and proofs of its frames. */
import * as T from 'three';
import { now } from '../state/queries';
import { shapeOf, useView } from '../state/view';
import { clock } from '../stream/clock';
import type { Stage } from './stage';

/** From where a proof looks: from the view, so far round; along with the middle of a body, since where that was; or from a camera of the scene. */
export type Seen = { round: number } | { with: string; since: T.Vector3 } | { camera: string };

export class Pictures {
  constructor(private stage: Stage) {}

  /** A small picture of what is on screen. */
  async small(width: number, height: number): Promise<Blob | null> {
    const { renderer, canvas } = this.stage;
    if (!renderer || !canvas || this.stage.layers.size === 0) return null;
    const small = document.createElement('canvas');
    [small.width, small.height] = [width, height];
    const c = small.getContext('2d')!;
    // Without the air and what is taken by hand: at this size they are scratches.
    const left = [this.stage.air.group, this.stage.outlines.group, this.stage.vane.group, this.stage.beads.group].filter((g) => g.visible);
    for (const g of left) g.visible = false;
    renderer.render(this.stage.scene, this.stage.camera);
    for (const g of left) g.visible = true;
    const scale = Math.max(width / canvas.width, height / canvas.height);
    const [w, h] = [canvas.width * scale, canvas.height * scale];
    c.drawImage(canvas, (width - w) / 2, (height - h) / 2, w, h);
    return new Promise((done) => small.toBlob(done, 'image/webp', 0.8));
  }

  /** How large a proof is: of its shape, or as the view, so many times. */
  size(times: number): [number, number] {
    const { clientWidth, clientHeight } = this.stage.canvas!;
    const shape = shapeOf(useView.getState().proofShape);
    const [w, h] = shape ? [shape.width, shape.height] : [clientWidth, clientHeight];
    // Encoders want even numbers.
    return [w, h].map((n) => 2 * Math.round((times * n) / 2)) as [number, number];
  }

  /** Draws a frame on a paper as it is at its best, once what it shows is here; with words in it. */
  async proof(paper: HTMLCanvasElement, frame: number, from: Seen, words: string | null, dusk = this.stage.look.dusk) {
    const { renderer, controls, canvas } = this.stage;
    if (!renderer || !controls || !canvas) return;
    if (dusk !== this.stage.look.dusk) this.stage.setLight(dusk);
    clock.halt(frame);
    for (
      let tries = 0;
      tries < 200 && [...this.stage.layers.keys()].some((id) => !canvas.dataset['shown']?.includes(`${id}:${frame}:`));
      tries++
    ) {
      await new Promise((r) => setTimeout(r, 25));
      this.stage.showFrame();
    }
    clearTimeout(this.stage.resting);
    const hands = [
      this.stage.outlines.group,
      this.stage.vane.group,
      this.stage.beads.group,
      this.stage.handles.group,
      this.stage.forces.group,
    ].filter((g) => g.visible);
    for (const g of hands) g.visible = false;
    const { camera } = this.stage;
    const was = { position: camera.position.clone(), turn: camera.quaternion.clone(), fov: camera.fov, aspect: camera.aspect };
    let angle = this.stage.views.pictureAngle;
    if ('round' in from) {
      camera.position
        .sub(controls.target)
        .applyAxisAngle(new T.Vector3(0, 1, 0), from.round)
        .add(controls.target);
      camera.lookAt(controls.target);
    } else if ('with' in from) {
      camera.position.add(this.middleOf(from.with)).sub(from.since);
    } else {
      const own = now.scene()?.cameras?.[from.camera];
      if (own) this.stage.places.put(camera, `cameras/${from.camera}`, own.place, frame);
      angle = own?.angle ?? angle;
    }
    this.stage.best = true;
    this.stage.size();
    renderer.setPixelRatio(1);
    renderer.setSize(paper.width, paper.height, false);
    camera.aspect = paper.width / paper.height;
    camera.fov = T.MathUtils.radToDeg(angle);
    camera.updateProjectionMatrix();
    camera.updateMatrixWorld();
    renderer.shadowMap.needsUpdate = true;
    renderer.render(this.stage.scene, camera);
    const k = paper.getContext('2d')!;
    k.drawImage(canvas, 0, 0, paper.width, paper.height);
    if (words) {
      const size = Math.round(paper.height / 42);
      k.font = `${size}px "Atkinson Hyperlegible Next", sans-serif`;
      const wide = k.measureText(words).width;
      k.fillStyle = this.stage.look.dusk ? '#1e2624cc' : '#fbf9f3cc';
      k.fillRect(size, paper.height - 2.6 * size, wide + size, 1.7 * size);
      k.fillStyle = this.stage.look.dusk ? '#e8e2d2' : '#26312f';
      k.fillText(words, 1.5 * size, paper.height - 1.4 * size);
    }
    for (const g of hands) g.visible = true;
    camera.position.copy(was.position);
    camera.quaternion.copy(was.turn);
    Object.assign(camera, { fov: was.fov, aspect: was.aspect });
    camera.updateProjectionMatrix();
  }

  /** The middle of what is seen of a body. */
  middleOf(body: string): T.Vector3 {
    return this.stage.bounds(body).getCenter(new T.Vector3());
  }

  /** The view is the window's own again. */
  done() {
    this.stage.setLight(useView.getState().dusk);
    this.stage.size();
    this.stage.drawAll();
  }
}
