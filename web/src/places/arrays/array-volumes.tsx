import { Fragment, useState } from "react";
import type { ArrayReading, ArrayVolumeReading } from "../../api/client";
import { useEstate } from "../../estate-context";
import { OpenAmount, TermRow } from "../../money/open-amount";
import { Button } from "../../ui/controls";

type ArrayVolumesProps = {
  reading: ArrayReading;
  onHome: (volume: ArrayVolumeReading) => void;
  onRead: (volume: ArrayVolumeReading) => void;
};

/** Volumes of an array: what is on it and what is away, and what that saves. */
export function ArrayVolumes({ reading, onHome, onRead }: ArrayVolumesProps) {
  return (
    <section>
      <h2 className="text-lg">Volumes</h2>
      <table className="w-full">
        <thead className="text-left text-sm text-ink-soft">
          <tr className="border-b border-hairline-strong">
            <th className="py-1 font-normal">volume</th>
            <th className="text-right font-normal">on the array</th>
            <th className="text-right font-normal">leaves tonight</th>
            <th className="text-right font-normal">saves a month</th>
            <th className="text-right font-normal">away</th>
            <th className="text-right font-normal">saved a month</th>
            <th>
              <span className="sr-only">read it, bring it home</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {reading.volumes.map((v) => (
            <VolumeRows key={v.id} volume={v} onHome={() => onHome(v)} onRead={() => onRead(v)} />
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-sm text-ink-soft">
        Saved: what is away would cost on the array, less what it costs in the bucket now, in the first band of the prices. It is
        money only where the array can be smaller, or need not grow.
      </p>
    </section>
  );
}

function VolumeRows({ volume: v, onHome, onRead }: { volume: ArrayVolumeReading; onHome: () => void; onRead: () => void }) {
  const { money, bytes } = useEstate();
  const [opened, open] = useState<string | null>(null);
  const cell = "whitespace-nowrap pl-3 text-right";
  const shown = { leaves: v.toSaveTerms, away: v.savedTerms }[opened ?? ""];
  return (
    <Fragment>
      <tr className="border-b border-hairline">
        <th className="py-1 text-left font-normal">
          {v.name}
          {v.staysBecause != null && <span className="block text-sm text-ink-soft">Cannot take part: {v.staysBecause}.</span>}
        </th>
        <td className={cell}>{bytes(v.homeBytes)}</td>
        {v.staysBecause == null ? (
          <>
            <td className={cell}>{bytes(v.leavingBytes)}</td>
            <td className={cell}>
              <OpenAmount
                id="leaves"
                label={`${v.name} saves a month`}
                text={money(v.toSaveAMonth)}
                terms={v.toSaveTerms}
                opened={opened}
                onOpen={open}
              />
            </td>
            <td className={cell}>{bytes(v.awayBytes)}</td>
            <td className={cell}>
              <OpenAmount
                id="away"
                label={`${v.name}, saved a month`}
                text={money(v.savedAMonth)}
                terms={v.savedTerms}
                opened={opened}
                onOpen={open}
              />
            </td>
          </>
        ) : (
          ["leaves", "saves", "away", "saved"].map((c) => (
            <td key={c} className={cell}>
              –
            </td>
          ))
        )}
        <td className={cell}>
          <Button kind="quiet" aria-label={`Read from ${v.name}`} onClick={onRead}>
            Read…
          </Button>
          {v.awayBytes > 0 && (
            <Button kind="quiet" aria-label={`Bring ${v.name} home`} onClick={onHome}>
              Bring home…
            </Button>
          )}
        </td>
      </tr>
      {shown && <TermRow columns={7} terms={shown} />}
    </Fragment>
  );
}
