/** How the certificate of a course looks, as the school file has it. */
export interface Certificate {
  approval: boolean;
  design: "frame" | "band" | "corners" | "plain";
  heading: string;
  before: string;
  wording: string;
  hours: number | null;
  paper: "a4" | "letter";
  upright: boolean;
  signature: string | null;
}

export const FRESH: Certificate = { approval: false, design: "frame", heading: "Certificate", before: "This is to say that", wording: "has finished the course", hours: null, paper: "a4", upright: false, signature: null };
