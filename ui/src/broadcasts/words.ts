import type { Api } from "../api/client";

const round = (share: number) => (share > 0 && share < 0.01 ? "under 1" : String(Math.round(share * 100)));

/** A share as “41%”. */
export const percent = (one: Api["Figure"] | undefined) =>
  one?.share === null || one?.share === undefined ? "" : `${round(one.share)}%`;

/** The range a share lies in, as “36 to 47%”. */
export const range = (one: Api["Figure"]) =>
  one.low === null || one.high === null || one.low === undefined || one.high === undefined
    ? ""
    : `${Math.round(one.low * 100)} to ${Math.round(one.high * 100)}%`;

export const WHAT: Record<string, string> = {
  posted: "Posted",
  delivered: "Delivered",
  opened: "Opened",
  not_opened: "Not opened",
  clicked: "Clicked",
  answered: "Answered",
  stopped: "Stopped letters",
  complained: "Complained",
  bounced: "Came back",
  on_its_way: "On the way",
  kept_back: "Kept back",
  not_posted: "Not posted",
  waits_for_you: "Wait for you",
};
