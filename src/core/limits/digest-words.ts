/** The words of digests: a subject and a body with placeholders (Liquid, HTML). */
export interface DigestWords {
  readonly subject: string
  readonly body: string
}

/** The words of a digest where nobody has written others. It has no colours of its own, so that it reads on dark screens, and a table that breaks within a narrow one. */
export const DIGEST_WORDS: DigestWords = {
  subject: '{{ count }} alerts: {{ kinds }}',
  body: `<p>{{ count }} alerts for {{ recipient }} from {{ organisation }}, gathered until {{ until | date: "%H:%M" }}.</p>
{% for section in sections %}<h2 style="font-size:1.1em;margin:1.4em 0 .3em">{{ section.workflow }}: {{ section.count }}</h2>
<table role="presentation" style="border-collapse:collapse;width:100%;max-width:100%">
{% for row in section.rows %}<tr style="border-top:1px solid #8888">
<td style="padding:.35em .8em .35em 0;vertical-align:top;white-space:nowrap">{{ row.at | date: "%a %H:%M" }}</td>
<td style="padding:.35em .8em .35em 0;vertical-align:top;overflow-wrap:anywhere">{% if row.link %}<a href="{{ row.link }}">{{ row.title }}</a>{% else %}{{ row.title }}{% endif %}{% for column in row.columns %}{% if column.value != "" %}<br>{{ column.label }}: {{ column.value }}{% endif %}{% endfor %}</td>
<td style="padding:.35em 0;vertical-align:top;text-align:right"><a href="{{ row.why }}">why</a></td>
</tr>
{% endfor %}</table>
{% if section.more > 0 %}<p>and {{ section.more }} more: <a href="{{ section.link }}">all of them</a></p>
{% endif %}{% endfor %}`,
}
