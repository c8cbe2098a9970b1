import sanitizeHtml from 'sanitize-html'

/** Mail's HTML as it may be shown: no script, no forms, nothing fetched from elsewhere; links open apart. */
export function cleanMailHtml(html: string): string {
  return sanitizeHtml(html, {
    allowedTags: [...sanitizeHtml.defaults.allowedTags, 'img', 'h1', 'h2'],
    allowedAttributes: { ...sanitizeHtml.defaults.allowedAttributes, '*': ['style', 'align', 'width'], a: ['href', 'target', 'rel'] },
    allowedSchemes: ['http', 'https', 'mailto', 'tel'],
    allowedSchemesByTag: { img: ['data'] },
    transformTags: { a: sanitizeHtml.simpleTransform('a', { target: '_blank', rel: 'noopener noreferrer' }) },
  })
}
