import type { Api } from "../api/client";

/** Where a server is and how one signs in to it; the password is empty while the one that is kept holds. */
export type Account = {
  host: string;
  port: number;
  security: Api["ServerIn"]["security"];
  user: string;
  password: string;
  has_password: boolean;
};

/** A server as it is written on screen, with its pace. */
export type Server = Account & { a_minute: number | null; a_day: number | null };

export const SECURITIES: { value: Server["security"]; label: string; port: number }[] = [
  { value: "starttls", label: "STARTTLS (usually port 587)", port: 587 },
  { value: "tls", label: "TLS from the start (usually port 465)", port: 465 },
  { value: "none", label: "No security (only on this machine)", port: 25 },
];

export const freshServer = (): Server => ({
  host: "",
  port: 587,
  security: "starttls",
  user: "",
  password: "",
  has_password: false,
  a_minute: null,
  a_day: null,
});

export const readServer = (found: Api["ServerOut"] | null): Server | null =>
  found ? { ...found, password: "" } : null;

/** As the school takes it: without a password, the one that it keeps. */
function written<T extends Account>(account: T): Omit<T, "has_password" | "password"> & { password: string | null } {
  const { has_password, password, ...rest } = account;
  return { ...rest, password: password || !has_password ? password : null };
}
export const writtenServer = (server: Server): Api["ServerIn"] => written(server);
export const writtenMailbox = (mailbox: Mailbox): Api["IncomingIn"] => written(mailbox);

/** With another kind of security comes its usual port, unless another one was written. */
export function secured(server: Server, security: Server["security"]): Server {
  const usual = SECURITIES.find((one) => one.value === server.security)?.port;
  const now = SECURITIES.find((one) => one.value === security)?.port ?? server.port;
  return { ...server, security, port: server.port === usual ? now : server.port };
}

/** A mailbox as it is written on screen. */
export type Mailbox = Account & { folder: string; move_to: string | null };

export const BOX_SECURITIES: { value: Account["security"]; label: string }[] = [
  { value: "tls", label: "TLS from the start (usually port 993)" },
  { value: "starttls", label: "STARTTLS (usually port 143)" },
  { value: "none", label: "No security (only on this machine)" },
];

export const freshMailbox = (): Mailbox => ({
  host: "",
  port: 993,
  security: "tls",
  user: "",
  password: "",
  has_password: false,
  folder: "INBOX",
  move_to: null,
});
