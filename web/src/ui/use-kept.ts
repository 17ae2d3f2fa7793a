import { useEffect, useState } from "react";

/** What is stored under a key, when it can be read at all. */
export function readKept<T>(key: string): T | undefined {
  try {
    const text = localStorage.getItem(key);
    return text === null ? undefined : (JSON.parse(text) as T);
  } catch {
    return undefined;
  }
}

/** State that stays in this browser until it is forgotten: leaving a page loses nothing that was typed there. */
export function useKept<T>(key: string, initial: T): [T, (value: T) => void, () => void] {
  const [value, setValue] = useState<T>(() => readKept<T>(key) ?? initial);
  useEffect(() => {
    if (JSON.stringify(value) === JSON.stringify(initial)) localStorage.removeItem(key);
    else localStorage.setItem(key, JSON.stringify(value));
  });
  return [
    value,
    setValue,
    () => {
      localStorage.removeItem(key);
      setValue(initial);
    },
  ];
}
