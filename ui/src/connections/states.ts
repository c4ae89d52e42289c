/** What a connection's state is called, and how it is marked. */
export const STATES: Record<string, { says: string; pill: string }> = {
  listening: { says: "Listening only", pill: "paused" },
  on: { says: "On", pill: "running" },
  off: { says: "Off", pill: "" },
};
