const Sequencer = require('@jest/test-sequencer').default

/** Files that take long, mostly by waiting: they begin first, so that none of them is left over at the end with nothing beside it. */
const LONG = [
  'hostile/engine.test',
  'faults/kill.test',
  'faults/occasions.test',
  'hostile/apart.test',
  'engine/occasions-rehearsed.test',
  'engine/hostile.test',
  'engine/alert.test',
  'engine/actions.test',
]

const place = ({ path }) => {
  const found = LONG.findIndex((name) => path.includes(name))
  return found < 0 ? LONG.length : found
}

module.exports = class extends Sequencer {
  sort(tests) {
    return [...super.sort(tests)].sort((a, b) => place(a) - place(b))
  }
}
