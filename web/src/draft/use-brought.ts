import { useEffect, useRef } from "react";
import { useLocation, useNavigate } from "react-router";

/** Takes up a draft that another page brought, once there is what it is a draft of: an undo from the log, an advice, a what-if. */
export function useBrought<T extends object>(isReady: boolean, bring: (draft: T) => void) {
  const { state, pathname, search } = useLocation();
  const navigate = useNavigate();
  const brought = (state as { draft?: T } | null)?.draft;
  const taken = useRef<T | null>(null);
  useEffect(() => {
    if (!brought || !isReady || taken.current === brought) return;
    taken.current = brought;
    bring(brought);
    void navigate({ pathname, search }, { replace: true, state: null });
  });
}
