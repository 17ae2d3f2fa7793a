import { useNavigate } from "react-router";
import { type Bucket, readBucket } from "../api/client";
import { done } from "../ui/toasts";
import { merge } from "./merge";

/** The draft that takes a change of a bucket back: of what is there now, the parts that it changed become what they were before. */
export async function undoing(name: string, before: Bucket, after: Bucket): Promise<Bucket> {
  return merge(after, before, (await readBucket(name)).value).merged;
}

/** Opens that draft on the bucket's page, where it is looked at and applied like any other. */
export function useBucketUndo() {
  const navigate = useNavigate();
  return async (name: string, before: Bucket, after: Bucket) => {
    try {
      await navigate(`/buckets/${name}`, { state: { draft: await undoing(name, before, after) } });
    } catch (error) {
      done((error as Error).message);
    }
  };
}
