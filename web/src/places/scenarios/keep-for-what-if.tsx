import { useNavigate } from "react-router";
import type { Assumption } from "../../api/client";
import { useAddress } from "../../ui/address";
import { Button } from "../../ui/controls";

/** What a page hands over on the way to a what-if, so that it is added there. */
export const assuming = (assume: Assumption[]) => ({ state: { assume } });

type KeepProps = {
  assume: Assumption[] | undefined;
  /** The scenario that they are assumed on top of, if any. */
  onTopOf?: string | null;
};

/** Takes a draft that is in order to a scenario, as assumptions: to the one that it came from or is on top of, or a new one. */
export function KeepForWhatIf({ assume, onTopOf }: KeepProps) {
  const { params } = useAddress();
  const navigate = useNavigate();
  return (
    <Button
      kind="quiet"
      disabled={!assume}
      onClick={() => assume && void navigate(`/what-if/${params.get("what-if") ?? onTopOf ?? ""}`, assuming(assume))}
    >
      Keep for a what-if
    </Button>
  );
}
