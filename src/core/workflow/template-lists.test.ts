import { TABLES } from '@/demo/tables'
import { listsOfTemplate } from './template-lists'

const schema = new Map(TABLES.map((t) => [t.name, t]))

test.each([
  ['<ul>{% for b in bookings %}<li>{{ b.reference }}</li>{% endfor %}</ul>{% for b in bookings %}x{% endfor %}', [{ name: 'bookings', list: 'bookings.sailing' }]],
  ['{%- for b in bookings -%}{%- endfor -%}', [{ name: 'bookings', list: 'bookings.sailing' }]],
  ['{% for field in change.fields %}x{% endfor %}{% for r in records %}y{% endfor %}{% for n in nowhere %}z{% endfor %}', []],
  ['{% for v in vessels %}x{% endfor %}', []],
  ['no list', []],
])('%s', (body, lists) => expect(listsOfTemplate({ table: 'sailings', body }, schema)).toEqual(lists))
