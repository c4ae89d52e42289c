import type { Api } from "../api/client";

/** A server as it is written on screen; the password is empty while the one that is kept holds. */
export type Server = {
  host: string;
  port: number;
  security: Api["ServerIn"]["security"];
  user: string;
  password: string;
  has_password: boolean;
  a_minute: number | null;
  a_day: number | null;
};

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
export function writtenServer(server: Server): Api["ServerIn"] {
  const { has_password, password, ...rest } = server;
  return { ...rest, password: password || !has_password ? password : null };
}

/** With another kind of security comes its usual port, unless another one was written. */
export function secured(server: Server, security: Server["security"]): Server {
  const usual = SECURITIES.find((one) => one.value === server.security)?.port;
  const now = SECURITIES.find((one) => one.value === security)?.port ?? server.port;
  return { ...server, security, port: server.port === usual ? now : server.port };
}

/** A mailbox as it is written on screen, like a server. */
export type Mailbox = {
  host: string;
  port: number;
  security: Server["security"];
  user: string;
  password: string;
  has_password: boolean;
  folder: string;
  move_to: string | null;
};

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

export function writtenMailbox(mailbox: Mailbox): Api["IncomingIn"] {
  const { has_password, password, ...rest } = mailbox;
  return { ...rest, password: password || !has_password ? password : null };
}
