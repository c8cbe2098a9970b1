/** What changed, from what to what, a line for each field, as texts say it (Liquid). */
export const WHAT_CHANGED = `{% for field in change.fields %}- {{ field.label }}: {{ field.before | default: "blank" }} to {{ field.after | default: "blank" }}
{% endfor %}`
