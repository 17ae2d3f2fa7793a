import { useNavigate } from "react-router";
import type { Assumption } from "../../api/client";
import { useAddress } from "../../ui/address";
import { Button } from "../../ui/controls";

/** Takes a draft that is in order to a scenario, as assumptions: to the one that it came from, or a new one. */
export function KeepForWhatIf({ assume }: { assume: Assumption[] | undefined }) {
  const { params } = useAddress();
  const navigate = useNavigate();
  return (
    <Button
      kind="quiet"
      disabled={!assume}
      onClick={() => void navigate(`/what-if/${params.get("what-if") ?? ""}`, { state: { assume } })}
    >
      Keep for a what-if
    </Button>
  );
}
