/** What a step or a broadcast posts: one letter, or to each student one of its versions. */
export type Version = { letter: string; share: number };
export type Posts = { letter?: string | null; versions?: Version[] | null };

/** Every letter that may go out, by key. */
export const lettersOf = (posts: Posts): string[] =>
  posts.versions ? posts.versions.map((one) => one.letter) : posts.letter ? [posts.letter] : [];

/** One more version: the shares are even again. */
export function withVersion(posts: Posts, letter: string): Posts {
  return { letter: null, versions: evened([...lettersOf(posts), letter]) };
}

/** Without one of the versions; the last one that is left is the letter for all. */
export function withoutVersion(posts: Posts, index: number): Posts {
  const left = lettersOf(posts).filter((_, at) => at !== index);
  return left.length > 1 ? { letter: null, versions: evened(left) } : { letter: left[0] ?? "", versions: null };
}

/** Another share for one of the versions; of two, the other one gets the rest. */
export function withShare(posts: Posts, index: number, share: number): Posts {
  const versions = posts.versions ?? [];
  const rest = (at: number, one: Version) => (versions.length === 2 && at !== index ? 100 - share : one.share);
  return {
    letter: null,
    versions: versions.map((one, at) => ({ ...one, share: at === index ? share : rest(at, one) })),
  };
}

function evened(letters: string[]): Version[] {
  const share = Math.floor(100 / letters.length);
  return letters.map((letter, at) => ({ letter, share: at ? share : 100 - share * (letters.length - 1) }));
}
