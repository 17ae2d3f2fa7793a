import { type Fan, readFan } from "../../api/client";
import type { Question } from "./not-known";

/** A fan, and the scenario that it is of; null for the estate as it stands. */
export type FanOf = Fan & { scenario: string | null };

/** What was asked stays with the answer: the address may ask for another one while this one is still shown. */
export const readFanOf = async (question: Question, signal: AbortSignal): Promise<FanOf> => ({
  ...(await readFan(question, signal)),
  scenario: question.scenario ?? null,
});
