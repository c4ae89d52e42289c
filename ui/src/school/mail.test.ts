import { expect, test } from "vitest";

import { freshMailbox, freshServer, readServer, secured, writtenMailbox, writtenServer } from "./mail";
import { sized } from "./sized";

test("a kept password is not written over by an empty field, and an empty one is written where none is kept", () => {
  const kept = readServer({ ...freshServer(), host: "mail.example.com", has_password: true });
  expect(kept && writtenServer(kept).password).toBeNull();
  expect(writtenServer({ ...freshServer(), password: "" }).password).toBe("");
  expect(writtenMailbox({ ...freshMailbox(), has_password: true, password: "new" }).password).toBe("new");
  expect(writtenServer(freshServer())).not.toHaveProperty("has_password");
});

test("with the kind of security comes its usual port, unless another one was written", () => {
  expect(secured(freshServer(), "tls").port).toBe(465);
  expect(secured({ ...freshServer(), port: 2525 }, "tls").port).toBe(2525);
});

test("sizes as one reads them", () => {
  expect([320, 820_000, 1_400_000, 23_000_000_000].map(sized)).toEqual(["1 kB", "820 kB", "1.4 MB", "23 GB"]);
});
