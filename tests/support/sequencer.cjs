const Sequencer = require('@jest/test-sequencer').default

/** Files that take long: they begin first, so that none of them is left over at the end with nothing beside it. */
const LONG = [
  'hostile/engine.test',
  'words/written-briefs.test',
  'engine/occasions-rehearsed.test',
  'faults/kill.test',
  'engine/hostile.test',
  'engine/figures.test',
  'faults/occasions.test',
  'engine/alert.test',
  'engine/actions.test',
  'propose/rules.test',
  'engine/past-one-machine.test',
  'engine/limits.test',
  'faults/restart.test',
  'engine/shards.test',
  'attach/followed.test',
  'hostile/apart.test',
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
