import { signWhyFooter, unsignedWhyLink, withWhyFooter } from './footer'
import { imagesIn, replaceImages } from './images'

const BASE = 'http://rappel.example'

test('the footer stands at the end of both parts, inside the body where there is one, and is signed when the mail is queued', () => {
  const mail = withWhyFooter({ subject: 'S', html: '<body><p>B</p></body>', text: 'B\n' }, BASE)
  expect(mail.html).toBe(`<body><p>B</p><p style="margin-top:2em;font-size:smaller"><a href="${unsignedWhyLink(BASE)}">Why you got this</a></p></body>`)
  expect(mail.text).toBe(`B\n\n-- \nWhy you got this: ${unsignedWhyLink(BASE)}\n`)
  const signed = signWhyFooter(mail, BASE, 'abc.def')
  expect([signed.html, signed.text].every((part) => part.includes(`${BASE}/why/abc.def`) && !part.includes('this-message'))).toBe(true)
})

test('images of the library are found by name and put in place; others are left alone', () => {
  const html = `<img alt="x" src="cid:a%20b.png"><img src='cid:c.png'/><img src="https://x.example/d.png"> cid:e.png`
  expect(imagesIn(html)).toEqual(['a b.png', 'c.png'])
  expect(replaceImages(html, (name) => (name === 'c.png' ? 'file.3@rappel' : undefined))).toBe(html.replace('cid:c.png', 'cid:file.3@rappel'))
})
