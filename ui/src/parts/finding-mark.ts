import type { Api } from "../api/client";

/** What stands before a finding: a fault keeps from running or posting, anything else is worth a look. */
export const findingMark = (level: Api["FindingOut"]["level"]) => (level === "fault" ? "✗" : "▲");
