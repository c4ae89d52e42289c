// Reads letters as others do: a mail parser and a calendar reader that we did not write, and what mail programs support.
// In: [{ name, html, eml }] as JSON; out: what each of them makes of it.
import { caniemail } from "caniemail";
import ICAL from "ical.js";
import PostalMime from "postal-mime";

let text = "";
for await (const piece of process.stdin) text += piece;

/** Features without full support somewhere, by name; which programs those are is not our concern. */
function lacking(html) {
  // The library trips over this one property, for which its data know some programs only; its own default changes nothing.
  const { issues } = caniemail({ clients: ["*"], html: html.replaceAll(/table-layout:auto;?/g, "") });
  return [...new Set([...issues.errors.values(), ...issues.warnings.values()].flat().map((one) => one.title))].sort();
}

const found = [];
for (const { name, html, eml } of JSON.parse(text)) {
  const mail = eml ? await PostalMime.parse(eml) : null;
  const dates = (mail?.attachments ?? [])
    .filter((one) => one.mimeType === "text/calendar")
    .map((one) => {
      const content = typeof one.content === "string" ? one.content : new TextDecoder().decode(one.content);
      const event = new ICAL.Event(new ICAL.Component(ICAL.parse(content)).getFirstSubcomponent("vevent"));
      return {
        uid: event.uid,
        start: event.startDate.toJSDate().toISOString(),
        end: event.endDate.toJSDate().toISOString(),
        summary: event.summary,
        location: event.location,
      };
    });
  found.push({
    name,
    lacking: lacking(html),
    subject: mail?.subject,
    from: mail?.from,
    to: mail?.to,
    html: mail?.html,
    text: mail?.text,
    dates,
  });
}
process.stdout.write(JSON.stringify(found));
