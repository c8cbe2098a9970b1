/** Tells the time; injected wherever the engine needs it, so that history and tests can have their own. */
export type Clock = () => Date
