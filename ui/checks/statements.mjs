// Two xAPI clients that we did not write, talking to a running school: what each was answered.
// In: { endpoint, password } as JSON; out: an object of answers.
import XAPI from "@xapi/xapi";
import TinCan from "tincanjs";

let text = "";
for await (const piece of process.stdin) text += piece;
const { endpoint, password } = JSON.parse(text);
const found = {};

const modern = new XAPI({ endpoint, auth: XAPI.toBasicAuth("course-site", password), version: "1.0.3" });
const about = await modern.getAbout();
found.versions = about.data.version;
const statement = {
  actor: { objectType: "Agent", name: "Ana Reis", mbox: "mailto:ana@example.org" },
  verb: { id: "http://adlnet.gov/expapi/verbs/passed", display: { "en-US": "passed" } },
  object: { objectType: "Activity", id: "https://course.example/quiz/1" },
  result: { score: { scaled: 0.85 } },
  timestamp: "2026-03-02T08:40:00.000Z",
};
const sent = await modern.sendStatement({ statement });
found.passed = { status: sent.status, ids: sent.data.length };
const wrong = new XAPI({ endpoint, auth: XAPI.toBasicAuth("course-site", "not the password"), version: "1.0.3" });
found.wrong = await wrong.sendStatement({ statement }).then(
  () => "taken",
  (error) => error.response?.status ?? String(error),
);

// The older client puts its statements, each under an id of its own.
const lrs = new TinCan.LRS({ endpoint: `${endpoint}/`, username: "course-site", password, version: "1.0.2" });
const older = new TinCan.Statement({
  id: "7f6a2f6e-5f6b-4d43-9e3b-8a6f0b1c2d3e",
  actor: { account: { homePage: "https://course.example", name: "ana@example.org" } },
  verb: { id: "http://adlnet.gov/expapi/verbs/completed" },
  target: { id: "https://course.example/lesson/1" },
  timestamp: "2026-03-02T08:41:00.000Z",
});
const put = (one) =>
  new Promise((resolve) =>
    lrs.saveStatement(one, { callback: (error, xhr) => resolve({ error, status: xhr.status }) }),
  );
found.put = await put(older);
found.again = await put(older);
older.target = new TinCan.Activity({ id: "https://course.example/lesson/2" });
found.other = (await put(older)).status;
console.log(JSON.stringify(found));
