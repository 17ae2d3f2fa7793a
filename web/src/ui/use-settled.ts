import { useEffect, useState } from "react";

const restsFor = 150;

/** What was typed, once the hand rests: what is asked with it is not asked at every letter. */
export function useSettled(typed: string) {
  const [settled, settle] = useState(typed);
  useEffect(() => {
    const timer = setTimeout(() => settle(typed), restsFor);
    return () => clearTimeout(timer);
  }, [typed]);
  return settled;
}
