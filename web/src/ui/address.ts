import { useNavigate, useSearchParams } from "react-router";

/**
 * The parameters of the address, and a way to set one. It starts from the address as it is at that moment, not as it was
 * at the last drawing, so that quick keys and typing never undo each other.
 */
export function useAddress() {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const set = (name: string, value: string | null) => {
    const next = now();
    if (value === null) next.delete(name);
    else next.set(name, value);
    void navigate({ search: next.toString() }, { replace: true });
  };
  return { params, set, now };
}

const now = () => new URLSearchParams(window.location.search);
