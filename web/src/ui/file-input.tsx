/** The hidden input that a file is chosen with, pressed by its id or where it is held. */
import type { Ref } from 'react';

/** Endings that are read, by what is made of a file. */
export const READ = {
  mesh: '.obj,.gltf,.glb,.ply,.stl,.usd,.usda,.usdc,.usdz',
  figure: '.glb,.gltf,.usd,.usda,.usdc,.usdz,.obj,.zip',
  curves: '.obj,.gltf,.glb,.usd,.usda,.usdc,.usdz',
  cameras: '.glb,.gltf',
  picture: '.png,.jpg,.jpeg',
  points: '.npy',
  project: '.zip,.json',
};

export const FileInput = (props: {
  id?: string;
  ref?: Ref<HTMLInputElement>;
  label: string;
  read: keyof typeof READ;
  onFile: (file: File) => void;
}) => (
  <input
    id={props.id}
    ref={props.ref}
    type="file"
    aria-label={props.label}
    accept={READ[props.read]}
    className="hidden"
    onChange={(e) => {
      const file = e.target.files?.[0];
      // The same file can be chosen again.
      e.target.value = '';
      if (file) props.onFile(file);
    }}
  />
);

/** Opens the dialog of an input. */
export const chooseFile = (id: string) => document.getElementById(id)?.click();
