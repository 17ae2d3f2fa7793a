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
  useKeys((pressed) => {
    if (pressed !== key) return false;
    act();
    return true;
  }, withCtrl);
}

/** Offers every key (or Ctrl and the key) that is pressed outside of fields; `act` says whether it took it. */
export function useKeys(act: (key: string) => boolean, withCtrl = false) {
  useEffect(() => {
    const onKey = (event: globalThis.KeyboardEvent) => {
      if (withCtrl !== (event.ctrlKey || event.metaKey) || event.altKey) return;
      if (!withCtrl && (isTyping(event) || !singleKeysOn())) return;
      if (act(event.key)) event.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
}

const offKey = "ripen-single-keys-off";

/** Whether keys without Ctrl do something; somebody who speaks to the computer switches them off. */
export const singleKeysOn = () => localStorage.getItem(offKey) === null;

export function switchSingleKeys(on: boolean) {
  if (on) localStorage.removeItem(offKey);
  else localStorage.setItem(offKey, "off");
}
