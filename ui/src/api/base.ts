/** Where this school is served: at the root of its address, or, as a practice copy, below it. */
const COPY = "/practice-copy";
const { pathname } = window.location;
export const BASE = pathname === COPY || pathname.startsWith(`${COPY}/`) ? COPY : "";
/** An address of this school, from its root. */
export const rooted = (path: string) => BASE + path;
