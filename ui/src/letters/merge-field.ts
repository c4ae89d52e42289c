import { mergeAttributes, Node } from "@tiptap/core";

import { chipWords } from "./field-words";

/** Merge fields stand in texts as {{ … }}; in the editor each is one chip that can't be broken by typing. */
const FIELD = /\{\{\s*(.*?)\s*\}\}/g;
const CHIP = /<span data-field="([^"]*)"[^>]*>.*?<\/span>/g;

const escape = (text: string) =>
  text.replaceAll("&", "&amp;").replaceAll('"', "&quot;").replaceAll("<", "&lt;").replaceAll(">", "&gt;");
const unescape = (text: string) =>
  text
    .replaceAll("&quot;", '"')
    .replaceAll("&lt;", "<")
    .replaceAll("&gt;", ">")
    .replaceAll("&#39;", "'")
    .replaceAll("&amp;", "&");

/** HTML with {{ … }} to HTML with chips; fields inside tags, such as addresses of links, stay as they are. */
export function toChips(html: string): string {
  return html.replace(/<[^>]*>|[^<]+/g, (piece) =>
    piece.startsWith("<")
      ? piece
      : piece.replace(FIELD, (_, inner: string) => `<span data-field="${escape(unescape(inner))}"></span>`),
  );
}

export function fromChips(html: string): string {
  return html.replace(CHIP, (_, inner: string) => `{{ ${unescape(inner)} }}`);
}

/** A one-line text such as a subject, to and from the editor's single paragraph. */
export const lineToHtml = (text: string) => `<p>${toChips(escape(text))}</p>`;
export const htmlToLine = (html: string) =>
  unescape(fromChips(html).replace(/<\/?p>|<br>/g, "")).replaceAll("\u00a0", " ");

export const MergeField = Node.create({
  name: "mergeField",
  group: "inline",
  inline: true,
  atom: true,
  addAttributes: () => ({
    field: {
      default: "",
      parseHTML: (e) => e.getAttribute("data-field"),
      renderHTML: (a) => ({ "data-field": a.field as string }),
    },
  }),
  parseHTML: () => [{ tag: "span[data-field]" }],
  renderHTML: ({ node, HTMLAttributes }) => [
    "span",
    mergeAttributes(HTMLAttributes, { class: "chip" }),
    chipWords(node.attrs.field as string),
  ],
  renderText: ({ node }) => `{{ ${node.attrs.field as string} }}`,
});
