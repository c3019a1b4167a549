import { say, useHere } from '../state/here';
import { Button } from './button';

/** What went wrong or happened elsewhere, in words, with what would help, until it is put away. */
export function MessageBar({ page = false }: { page?: boolean }) {
  const message = useHere((h) => h.message);
  if (!message) return null;
  const edge = message.tone === 'fault' ? 'border-madder' : 'border-weld';
  return (
    <div
      role="alert"
      data-testid="message"
      className={`${page ? 'fixed bottom-6' : 'absolute bottom-14'} left-3 right-16 z-20 mx-auto flex max-h-[45%] w-fit max-w-[620px] items-start gap-4 overflow-auto rounded-lg border-2 ${edge} bg-raised px-4 py-3 shadow-lg`}
    >
      <div className="min-w-0">
        <p className="line-clamp-2 font-semibold break-words" title={message.title}>
          {message.title}
        </p>
        <p className="max-h-40 overflow-auto break-words text-faded">{message.detail}</p>
        {message.cure && (
          <Button
            className="mt-2"
            onClick={() => {
              say(null);
              message.cure?.act();
            }}
          >
            {message.cure.label}
          </Button>
        )}
      </div>
      <button
        type="button"
        aria-label="Put the message away"
        className="rounded px-1.5 text-[15px] text-faded hover:text-ink"
        onClick={() => say(null)}
      >
        ×
      </button>
    </div>
  );
}
