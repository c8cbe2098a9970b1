/** A value as it comes out of JSON: moments are texts (ISO 8601), the rest is as it was. */
export type Json<T> = T extends Date ? string : T extends readonly (infer U)[] ? readonly Json<U>[] : T extends object ? { readonly [K in keyof T]: Json<T[K]> } : T
