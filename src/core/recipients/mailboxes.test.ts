import { mailboxesIn } from './mailboxes'

test.each<[string, (string | [string, string])[]]>([
  ['a@x.example, b@x.example;c@x.example\nd@x.example e@x.example', ['a@x.example', 'b@x.example', 'c@x.example', 'd@x.example', 'e@x.example']],
  ['"Jo, Q" <jo@q.example>; x@y.example', [['jo@q.example', 'Jo, Q'], 'x@y.example']],
  [
    'Jo Q <jo@q.example>\nMa <ma@q.example>',
    [
      ['jo@q.example', 'Jo Q'],
      ['ma@q.example', 'Ma'],
    ],
  ],
  ['"Jo <x@y.example>" <real@y.example>', [['real@y.example', 'Jo <x@y.example>']]],
  // Source: RFC 5322 appendix A.1.3, a group among the addresses; appendix A.5, comments.
  ['A Group:Ed Jones <c@a.test>,joe@where.test,John <jdoe@one.test>;', [['c@a.test', 'Ed Jones'], 'joe@where.test', ['jdoe@one.test', 'John']]],
  ['Pete <pete@silly.test> (his account)', [['pete@silly.test', 'Pete']]],
  ['Nobody <>', ['Nobody']],
  [' , ; ', []],
])('%s', (text, wanted) => expect(mailboxesIn(text).map(({ address, name }) => (name === null ? address : [address, name]))).toEqual(wanted))
