/** A line about what is chosen, whatever it is drawn as: it is drawn once more by itself, and where it ends there is the line. */
import * as T from 'three';

/** What is drawn by itself is on this layer, beside its own. Lights are, too. */
export const ALONE = 1;
const WIDTH = 2;
/** About what is many thin things the line runs so far off, pixels, and closes over what is between them. */
const OFF = 9;

export class ChosenOutline {
  private mask: T.WebGLRenderTarget | null = null;
  private readonly told = {
    mask: { value: null as T.Texture | null },
    texel: { value: new T.Vector2() },
    off: { value: 0 },
    colour: { value: new T.Color('#2e5f82') },
  };
  private readonly sheet = new T.Mesh(
    new T.PlaneGeometry(2, 2),
    new T.ShaderMaterial({
      uniforms: this.told,
      transparent: true,
      depthTest: false,
      depthWrite: false,
      vertexShader: 'varying vec2 vAt;\nvoid main() { vAt = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }',
      fragmentShader: `
        uniform sampler2D mask;
        uniform vec2 texel;
        uniform vec3 colour;
        varying vec2 vAt;
        uniform float off;
        // Whether there is anything on a round so far about.
        bool ringed(float far, int steps) {
          for (int k = 0; k < 24; k++) {
            if (k >= steps) break;
            float a = 6.28318 * float(k) / float(steps);
            if (texture2D(mask, vAt + texel * far * vec2(cos(a), sin(a))).a > 0.02) return true;
          }
          return false;
        }
        void main() {
          if (texture2D(mask, vAt).a > 0.02) discard;
          if (off > 0.0 && (ringed(0.35 * off, 8) || ringed(0.7 * off, 16) || ringed(off, 24))) discard;
          if (!ringed(off + 1.0, off > 0.0 ? 24 : 8)) discard;
          gl_FragColor = vec4(colour, 0.9);
          #include <colorspace_fragment>
        }`,
    }),
  );
  private readonly scene = new T.Scene();
  private readonly flat = new T.Camera();
  private objects: T.Object3D | null = null;
  private thin = false;

  constructor() {
    this.sheet.frustumCulled = false;
    this.scene.add(this.sheet);
  }

  setDusk(dusk: boolean) {
    this.told.colour.value.set(dusk ? '#8fc0e6' : '#1f5f92');
  }

  /** Whom the line is about; nobody, and there is none. `thin` where it is many thin things. */
  set(objects: T.Object3D | null, thin: boolean) {
    this.thin = thin;
    if (this.objects === objects) return;
    this.objects?.traverse((o) => o.layers.disable(ALONE));
    this.objects = objects;
  }

  /** Draws it over what is on the canvas. */
  render(renderer: T.WebGLRenderer, scene: T.Scene, camera: T.PerspectiveCamera, quickly: boolean) {
    if (!this.objects?.visible || (quickly && this.thin)) return;
    // What it is drawn by may have come since.
    this.objects.traverse((o) => o.layers.enable(ALONE));
    const size = renderer.getDrawingBufferSize(new T.Vector2());
    if (!this.mask || this.mask.width !== size.x || this.mask.height !== size.y) {
      this.mask?.dispose();
      this.mask = new T.WebGLRenderTarget(size.x, size.y, { depthBuffer: true, minFilter: T.NearestFilter, magFilter: T.NearestFilter });
      this.told.mask.value = this.mask.texture;
    }
    const wide = Math.max(1, WIDTH * renderer.getPixelRatio());
    this.told.texel.value.set(wide / size.x, wide / size.y);
    this.told.off.value = this.thin ? OFF / WIDTH : 0;
    const [ground, auto, mist] = [scene.background, renderer.autoClear, scene.fog];
    scene.background = null;
    scene.fog = null;
    camera.layers.set(ALONE);
    renderer.setRenderTarget(this.mask);
    renderer.setClearColor(0, 0);
    renderer.clear();
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    camera.layers.set(0);
    scene.background = ground;
    scene.fog = mist;
    renderer.autoClear = false;
    renderer.render(this.scene, this.flat);
    renderer.autoClear = auto;
  }

  dispose() {
    this.mask?.dispose();
    this.mask = null;
  }
}
