import { getErrorMessage, type FallbackProps } from 'react-error-boundary';
import { Button } from './button';

/** A part of the window that failed: the others go on. */
export function Broken({ error, resetErrorBoundary }: FallbackProps) {
  return (
    <div role="alert" className="m-4 rounded-lg border-2 border-madder bg-raised px-4 py-3">
      <p className="font-semibold">This part can’t be drawn</p>
      <p className="my-1 break-words text-faded">{getErrorMessage(error) ?? String(error)}. The scene is kept; nothing of it is lost.</p>
      <Button onClick={resetErrorBoundary}>Draw it again</Button>
    </div>
  );
}
