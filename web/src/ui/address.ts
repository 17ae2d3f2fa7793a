import { useNavigate, useSearchParams } from "react-router";

/**
 * The parameters of the address, and ways to set them. They start from the address as it is at that moment, not as it was
 * at the last drawing, so that quick keys and typing never undo each other.
 */
export function useAddress() {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const change = (parts: Record<string, string | null>, replace: boolean) => {
    const next = now();
    for (const [name, value] of Object.entries(parts)) {
      if (value === null) next.delete(name);
      else next.set(name, value);
    }
    void navigate({ search: next.toString(), hash: window.location.hash }, { replace });
  };
  return {
    params,
    now,
    /** A setting of the page: Back goes to the page before, not through every setting. */
    set: (name: string, value: string | null) => change({ [name]: value }, true),
    setAll: (parts: Record<string, string | null>) => change(parts, true),
    /** A place within the page: Back comes back from it. */
    goToAll: (parts: Record<string, string | null>) => change(parts, false),
    goTo: (name: string, value: string | null) => change({ [name]: value }, false),
  };
}

const now = () => new URLSearchParams(window.location.search);
