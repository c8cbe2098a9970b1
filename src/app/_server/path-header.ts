/** Header by which a page knows its own path, set before it is made. */
export const PATH_HEADER = 'x-rappel-path'
