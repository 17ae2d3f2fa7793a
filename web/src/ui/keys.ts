import { useEffect } from "react";

/** Whether a key press belongs to a field that takes text, so that no shortcut may take it. */
export function isTyping(event: globalThis.KeyboardEvent): boolean {
  const target = event.target;
  return (
    target instanceof HTMLElement &&
    (target.matches("input, textarea, select") || target.isContentEditable || target.closest("[role=dialog]") !== null)
  );
}

/** Runs `act` on the key (or on Ctrl and the key) wherever the focus is, except while somebody types. */
export function useKey(key: string, act: () => void, withCtrl = false) {
  useEffect(() => {
    const onKey = (event: globalThis.KeyboardEvent) => {
      if (event.key !== key || withCtrl !== (event.ctrlKey || event.metaKey) || (!withCtrl && isTyping(event))) return;
      event.preventDefault();
      act();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
}
