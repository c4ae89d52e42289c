/** “1 module”, “2 modules”. */
export const counted = (number: number, one: string, many = `${one}s`) => `${number} ${number === 1 ? one : many}`;
