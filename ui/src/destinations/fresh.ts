import { ref } from "vue";

/** The secret of the destination that has just been made: shown on its page this once, and nowhere kept. */
export const secretOf = ref<{ key: string; secret: string } | null>(null);
