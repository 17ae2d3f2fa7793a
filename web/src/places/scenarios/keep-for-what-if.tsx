import { useNavigate } from "react-router";
import type { Assumption } from "../../api/client";
import { useAddress } from "../../ui/address";
import { Button } from "../../ui/controls";

/** What a page hands over on the way to a what-if, so that it is added there. */
export const assuming = (assume: Assumption[]) => ({ state: { assume } });

/** Takes a draft that is in order to a scenario, as assumptions: to the one that it came from, or a new one. */
export function KeepForWhatIf({ assume }: { assume: Assumption[] | undefined }) {
  const { params } = useAddress();
  const navigate = useNavigate();
  return (
    <Button
      kind="quiet"
      disabled={!assume}
      onClick={() => assume && void navigate(`/what-if/${params.get("what-if") ?? ""}`, assuming(assume))}
    >
      Keep for a what-if
    </Button>
  );
}
