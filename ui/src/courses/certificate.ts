/** How the certificate of a course looks, as the school file has it. */
export type Certificate = {
  approval: boolean;
  design: "frame" | "band" | "corners" | "plain";
  heading: string;
  before: string;
  wording: string;
  hours: number | null;
  paper: "a4" | "letter";
  upright: boolean;
  signature: string | null;
  language: string;
};

/** Languages a certificate may be in: screen readers read it out so. Others stay as the school file has them. */
export const LANGUAGES = Object.entries({
  en: "English",
  ar: "Arabic",
  zh: "Chinese",
  cs: "Czech",
  da: "Danish",
  nl: "Dutch",
  fi: "Finnish",
  fr: "French",
  de: "German",
  el: "Greek",
  he: "Hebrew",
  hi: "Hindi",
  hu: "Hungarian",
  it: "Italian",
  ja: "Japanese",
  ko: "Korean",
  nb: "Norwegian",
  pl: "Polish",
  pt: "Portuguese",
  ro: "Romanian",
  es: "Spanish",
  sv: "Swedish",
  tr: "Turkish",
  uk: "Ukrainian",
}).map(([value, label]) => ({ value, label }));

export const FRESH: Certificate = {
  approval: false,
  design: "frame",
  heading: "Certificate",
  before: "This is to say that",
  wording: "has finished the course",
  hours: null,
  paper: "a4",
  upright: false,
  signature: null,
  language: "en",
};
