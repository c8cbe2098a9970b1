/** A field that changed, from what to what, as texts say it of the one they are at (Liquid). */
export const FIELD_CHANGED = '{{ field.label }}: {{ field.before | default: "blank" }} to {{ field.after | default: "blank" }}'

/** What changed, from what to what, a line for each field, as texts say it (Liquid). */
export const WHAT_CHANGED = `{% for field in change.fields %}- ${FIELD_CHANGED}
{% endfor %}`
