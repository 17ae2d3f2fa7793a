type Action = { label: string; onClick: () => void };
type Listener = (message: string, action?: Action) => void;

let listener: Listener | null = null;

/** Says that something was finished, perhaps with a way to take it back. */
export function done(message: string, action?: Action) {
  listener?.(message, action);
}

/** The one who shows it, until the returned function is called. */
export function onDone(show: Listener) {
  listener = show;
  return () => {
    listener = null;
  };
}
