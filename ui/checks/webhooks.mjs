// Verifies messages by npm standardwebhooks, and signs one of its own. From standard input: [{secret, headers, body}].
import { readFileSync } from "node:fs";
import { Webhook } from "standardwebhooks";

const messages = JSON.parse(readFileSync(0, "utf8"));
const verified = messages.map(({ secret, headers, body }) => {
  try {
    new Webhook(secret).verify(body, headers);
    return "good";
  } catch (error) {
    return String(error.message);
  }
});
const { secret, body } = messages[0];
const now = new Date();
const signed = {
  "webhook-id": "msg_theirs",
  "webhook-timestamp": String(Math.floor(now.getTime() / 1000)),
  "webhook-signature": new Webhook(secret).sign("msg_theirs", now, body),
};
process.stdout.write(JSON.stringify({ verified, signed }));
