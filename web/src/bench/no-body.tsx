import { Button } from '../ui/button';
import { chooseMesh } from './import-mesh';
import { addSheet } from './things';

export function NoBody() {
  return (
    <div className="border-t border-line px-4 py-5">
      <p className="mb-3">There is nothing to move yet. Start with a sheet, or bring in a mesh.</p>
      <div className="flex gap-2">
        <Button onClick={() => void addSheet()}>Add a sheet</Button>
        <Button onClick={() => chooseMesh('cloth')}>Bring in a mesh</Button>
      </div>
    </div>
  );
}
