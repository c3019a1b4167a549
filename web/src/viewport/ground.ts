/** The ground: a shadow and a light grid of metres, at the floor or at height 0. */
import * as T from 'three';

export class Ground {
  readonly group = new T.Group();
  private shadow = new T.Mesh(new T.CircleGeometry(1, 48), new T.ShadowMaterial({ opacity: 0.2 }));
  private grid = new T.GridHelper(12, 12, '#9c937c', '#b3aa94');

  constructor() {
    this.shadow.rotation.x = -Math.PI / 2;
    this.shadow.receiveShadow = true;
    this.grid.position.y = 0.001;
    const m = this.grid.material as T.LineBasicMaterial;
    m.transparent = true;
    m.opacity = 0.4;
    this.group.add(this.shadow, this.grid);
  }

  /** Where shadows may fall: no more of it is drawn. */
  around(x: number, z: number, far: number) {
    this.shadow.position.set(x, 0, z);
    this.shadow.scale.setScalar(far);
  }

  /** With a floor it is drawn at its height; without, only a faint grid at 0. */
  set(floor: number | null, dusk: boolean, scenery: boolean) {
    this.group.position.y = floor ?? 0;
    // Scenery has a ground of its own, which takes the shadows.
    this.group.visible = !scenery;
    (this.grid.material as T.LineBasicMaterial).opacity = (floor === null ? 0.15 : 0.4) * (dusk ? 0.6 : 1);
    (this.shadow.material as T.ShadowMaterial).opacity = dusk ? 0.4 : 0.2;
  }
}
