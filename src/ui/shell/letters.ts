const KEY = 'rappel:letters are not keys'

/** Whether single letters act as keys in this browser (WCAG 2.2, success criterion 2.1.4: they can be switched off). */
export function areLettersKeys(): boolean {
  try {
    return window.localStorage.getItem(KEY) === null
  } catch {
    return true // no storage: they are as they come
  }
}

/** Switches single letters as keys on or off, in this browser. */
export function setLettersKeys(are: boolean): void {
  try {
    if (are) window.localStorage.removeItem(KEY)
    else window.localStorage.setItem(KEY, 'off')
  } catch {
    // no storage: it cannot be kept
  }
}
