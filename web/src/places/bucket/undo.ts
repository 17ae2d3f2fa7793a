import { type Bucket, readBucket } from "../../api/client";
import { merge } from "../../draft/merge";

/** The draft that takes a change of a bucket back: of what is there now, the parts that it changed become what they were before. */
export async function undoing(name: string, before: Bucket, after: Bucket): Promise<Bucket> {
  return merge(after, before, (await readBucket(name)).value).merged;
}
