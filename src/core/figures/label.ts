/** What a figure is called: its label, or its name in words. */
export function labelOf({ label, name }: { readonly label?: string; readonly name: string }): string {
  const words = name.replaceAll('_', ' ')
  return label?.trim() || words.charAt(0).toUpperCase() + words.slice(1)
}
