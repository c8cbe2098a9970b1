import type { Op } from '../../document/condition'
import type { ThresholdSide } from '../../document/figure'
import { Lexicon } from './lexicon'

/** A list of words of the language, each with the ways in which people say it; the first is the one that is offered. */
function said<T extends string | number | boolean>(ways: Readonly<Record<string, readonly string[]>>, meant: (key: string) => T): Lexicon<T> {
  return new Lexicon(Object.entries(ways).flatMap(([key, [first = key, ...also]]) => [{ words: first, also, meant: meant(key) }]))
}

const keyword = (...ways: readonly string[]) => said({ it: ways }, () => true)
/** Words that only join others. */
const filler = ([first = '', ...also]: readonly string[]) => new Lexicon([{ words: first, also, meant: true }], true)
const named = <T extends string>(ways: Readonly<Record<T, readonly string[]>>) => said(ways, (key) => key as T)

export const WHEN = keyword('when', 'whenever', 'as soon as', 'each time', 'every time', 'once')
export const AND = filler(['and', 'and also', 'and then', 'as well as', 'plus'])
export const OR = filler(['or'])
export const WHERE = keyword(
  'where',
  'whose',
  'with',
  'that has',
  'which has',
  'provided',
  'provided that',
  'as long as',
  'and if',
  'only if',
  'only when',
  'but only if',
  'but only when',
  'while',
  'that',
  'which',
)
export const UNLESS = keyword('unless', 'except if', 'except when', 'except where', 'but not if', 'but not when')
export const IF = keyword('if')
export const THEN = filler(['then', 'please', 'also', 'just'])
export const OTHERWISE = keyword('otherwise', 'else', 'or else', 'if not')
export const NEITHER = filler(['neither'])
export const NOR = filler(['nor'])
export const NOT = filler(['not', 'not yet', 'still not'])
export const NOT_BEEN = filler(['has not been', 'have not been', 'has not yet been', 'have not yet been', 'is not yet', 'are not yet', 'is still not', "hasn't been", "isn't"])
export const WITHIN = filler(['within'])
export const OF = filler(['of', 'on', 'in', 'for', 'at'])
export const OF_ALONE = filler(['of'])
export const TO = filler(['to'])
export const FROM = filler(['from'])
export const AS = filler(['as', 'called'])
export const FOR = filler(['for'])
export const IN = filler(['in', 'due in', 'due', 'due by', 'by', 'within', 'after'])
export const BECAUSE_IT_IS = filler(['is', 'are', 'was', 'were', 'has been', 'have been', 'gets', 'get', 'got', 'being', 'is being'])
export const HAS = filler(['has', 'have', 'with'])
export const NO = filler(['no', 'without', 'has no', 'have no'])
export const DETERMINERS = filler(['its', 'the', 'their', 'his', 'her', 'a', 'an', 'this', 'that', 'any', 'my', 'our', 'one of the', 'some'])
export const ITS = filler(['its', 'the', 'their', 'his', 'her'])
export const EACH = keyword('each', 'every', 'all', 'everyone on', 'everybody on', 'all the', 'each of', 'every one of', 'everyone in', 'each of the')
export const PREVIOUS = filler(['previous', 'old', 'former', 'earlier'])
export const NEW = filler(['new', 'current', 'present'])
export const IT = filler(['it', 'this', 'they', 'one'])
export const EVERY_TIME = filler(['every time it does', 'every time it is so', 'every time', 'each time'])
export const STAYS_FOR = filler(['stays so for', 'and stays so for', 'stays for', 'for', 'for more than', 'for over', 'for at least', 'longer than'])
export const ANYONES = filler(['anyone', 'anyones', 'everyone', 'anybody', 'everybody'])

export const HAPPENINGS = named({
  created: ['created', 'added', 'new', 'made', 'entered', 'opened', 'registered', 'is new', 'comes in', 'arrives'],
  changed: ['changed', 'edited', 'updated', 'altered', 'modified', 'changes', 'is changed'],
  deleted: ['deleted', 'removed', 'gone', 'thrown away', 'taken out'],
})

/** What a day comes to without any change. */
export const DUE = filler(['overdue', 'past due', 'past its due date', 'due', 'expired', 'over its due date'])

/** What somebody does to a record, where it is said of them. */
export const DOES = named({
  created: ['creates', 'adds', 'enters', 'makes', 'opens', 'registers', 'reports', 'submits', 'files', 'logs', 'raises'],
  changed: ['changes', 'edits', 'updates', 'alters', 'modifies'],
  deleted: ['deletes', 'removes', 'throws away'],
})
export const SOMEBODY = filler(['somebody', 'someone', 'anybody', 'anyone', 'a person', 'a user', 'people'])

/** Other words for what is created, where they are no value that the record can have. */
export const MADE_KNOWN = filler(['reported', 'submitted', 'filed', 'logged', 'raised', 'received', 'recorded', 'lodged', 'put in', 'turns up'])

export const HANDED_OVER = filler([
  'handed over',
  'handed to somebody else',
  'handed to someone else',
  'handed to another',
  'given to somebody else',
  'given to someone else',
  'reassigned',
  'passed on',
  'a new owner',
  'another owner',
  'assigned',
  'assigned to somebody',
  'assigned to someone',
  'assigned to somebody else',
  'assigned to someone else',
  'assigned to somebody new',
  'assigned to another',
])
export const HANDED_TO = filler(['assigned to', 'reassigned to', 'handed over to', 'handed to', 'given to', 'passed on to', 'passed to'])

export const BECOMES = keyword(
  'becomes',
  'become',
  'became',
  'turns',
  'turned',
  'gets',
  'goes',
  'goes to',
  'reaches',
  'is set to',
  'is moved to',
  'moves to',
  'comes to be',
  'turns to',
  'turns into',
  'changes to',
  'changed to',
  'is changed to',
)
export const LEAVES = filler(['is no longer', 'are no longer', 'leaves', 'stops being', 'is not any more'])
export const STAYS = filler(['stays', 'remains', 'has been', 'stays in', 'is left', 'left in', 'is left in', 'stands', 'stays so'])

/** How operators are said; each as the brief writes it first. */
export const OPERATOR_WORDS = named<Op>({
  is: ['is', 'are', 'was', 'equals', 'is equal to', '=', 'is exactly', 'becomes', 'turns', 'gets', 'became', 'comes to be'],
  'is not': ['is not', "isn't", 'are not', 'is other than', 'differs from', '≠', 'is no longer'],
  'is one of': ['is one of', 'is any of', 'is either', 'is among'],
  'is none of': ['is none of', 'is not one of', 'is not any of'],
  'is blank': ['is blank', 'is empty', 'is missing', 'is not set', 'is not filled', 'is not given', 'is not known', 'is unknown'],
  'is filled': ['is filled', 'is filled in', 'is set', 'is given', 'is not blank', 'is not empty', 'is known', 'is there'],
  contains: ['contains', 'has', 'includes', 'mentions'],
  'does not contain': ['does not contain', "doesn't contain", 'does not include', 'does not mention'],
  'starts with': ['starts with', 'begins with'],
  'ends with': ['ends with'],
  'is in': ['is in', 'is under', 'is below', 'lies in'],
  'less than': ['is less than', 'is under', 'is below', 'less than', 'under', 'below', 'is fewer than', 'fewer than', '<', 'is before', 'before', 'is earlier than'],
  'at most': ['is at most', 'at most', 'is no more than', 'no more than', 'is up to', 'up to', '≤', 'is not over', 'is not more than', 'is not above', 'not more than', 'not over'],
  'more than': ['is more than', 'is over', 'is above', 'more than', 'over', 'above', 'exceeds', 'is greater than', 'greater than', '>', 'is after', 'after', 'is later than'],
  'at least': ['is at least', 'at least', 'is no less than', 'no less than', '≥', 'is not under', 'is not less than', 'is not below', 'not less than', 'not under'],
  between: ['is between', 'between', 'lies between'],
  'within last': ['is within the last', 'within the last', 'is in the last', 'in the last', 'is in the past'],
  'within next': ['is within the next', 'within the next', 'is in the next', 'in the next', 'is within', 'comes within'],
  changed: ['changed', 'changes', 'was changed', 'is changed', 'has changed', 'becomes somebody else', 'becomes something else', 'is somebody else'],
  'changed to': ['changed to', 'changes to', 'is changed to', 'was changed to', 'goes to'],
  'changed from': ['changed from', 'changes from', 'is changed from', 'was changed from', 'goes from'],
  'changed from to': [],
  rose: ['rose', 'rises', 'goes up', 'went up', 'increases', 'increased', 'grows', 'is increased', 'was increased', 'is raised', 'has risen'],
  fell: ['fell', 'falls', 'goes down', 'went down', 'drops', 'decreases', 'decreased', 'is decreased', 'was decreased', 'is lowered', 'is reduced', 'has fallen'],
  'crossed above': ['crossed above', 'crosses above', 'rises above', 'goes above', 'rises over', 'goes over', 'passes', 'comes above'],
  'crossed below': ['crossed below', 'crosses below', 'falls below', 'drops below', 'goes below', 'falls under', 'drops under'],
})

/** How it is said that a figure crosses a line, by the side it is on then. */
export const CROSSES_A_LINE = named<ThresholdSide>({
  above: [
    'goes above',
    'rises above',
    'goes over',
    'rises over',
    'is above',
    'is over',
    'is more than',
    'gets above',
    'exceeds',
    'climbs above',
    'comes above',
    'passes',
    'grows beyond',
  ],
  'at least': ['reaches', 'is at least', 'comes to', 'gets to', 'rises to', 'hits'],
  below: ['falls below', 'goes below', 'drops below', 'is below', 'is under', 'is less than', 'gets below', 'falls under', 'drops under', 'goes under', 'sinks below'],
  'at most': ['is at most', 'falls to', 'drops to', 'goes down to', 'sinks to'],
})

export const OR_MORE = named({ more: ['or more', 'or above', 'or over', 'and more'], less: ['or less', 'or fewer', 'or under'] })

export const YES_NO = said({ true: ['yes', 'true', 'ticked', 'on'], false: ['no', 'false', 'off'] }, (key) => key === 'true')
export const BLANK = filler(['blank', 'nothing', 'empty', 'nobody'])
export const TODAY = said({ 0: ['today'], 1: ['tomorrow'], '-1': ['yesterday'] }, Number)
export const NOW = keyword('now', 'the moment')
export const WHOEVER = filler([
  'whoever made the change',
  'whoever changed it',
  'whoever did it',
  'the person who changed it',
  'who made the change',
  'whoever added it',
  'whoever did this',
])
export const WHOEVER_IT_WAS = filler(['whoever it was', 'whoever has', 'who it was'])
export const ME = keyword('me', 'myself')
export const UNITS = named({
  minutes: ['minutes', 'minute', 'min'],
  hours: ['hours', 'hour', 'h', 'hrs'],
  days: ['days', 'day'],
  weeks: ['weeks', 'week'],
})
export const AGO = said({ '-1': ['ago', 'before today', 'earlier'], 1: ['from today', 'from now', 'on', 'ahead', 'after today', 'later'] }, Number)

export const EMAIL_VERBS = keyword(
  'email',
  'tell',
  'notify',
  'write to',
  'mail',
  'inform',
  'alert',
  'send mail to',
  'send an email to',
  'send an e-mail to',
  'e-mail',
  'warn',
  'let know',
  'send to',
)
export const SEND = keyword('send', 'send out')
export const NOTICE_VERBS = keyword('notice', 'post', 'post a notice', 'put a notice', 'send a notice', 'notice in', 'post to')
export const SET_VERBS = keyword('set', 'update', 'change', 'put', 'make')
export const CREATE_VERBS = keyword('create', 'make', 'add', 'open', 'start')
export const TASK_VERBS = keyword('task', 'a task', 'add a task', 'create a task', 'make a task', 'give a task', 'set a task', 'new task')
export const FOR_EACH = keyword('for each', 'for every', 'for each of', 'for all')
export const BRING_VERBS = keyword('bring in', 'bring', 'look up', 'fetch')
export const LIMIT_WORDS = keyword(
  'limit',
  'no more often than',
  'no more than one',
  'no more than once',
  'at most one',
  'at most once',
  'only one',
  'only once',
  'quiet',
  'gathered',
  'in a digest',
  'digest',
  'recipients may',
  'recipients outside may',
)
export const GROUP = keyword('group', 'the group')
export const TEAM = keyword('team', 'the team')
export const CHANNEL = keyword('channel', 'the channel', 'to the channel', 'in the channel')
export const MANAGER_OF = keyword('manager of', 'the manager of', 'boss of', 'the boss of')
export const MANAGER = keyword('manager', 'boss')
export const ANSWER_TO = keyword('the answer to', 'answer to')
export const EVERY_OTHER = filler(['nobody yet', 'nobody in particular', 'nobody'])

export const MAIL_PARTS = named({
  cc: ['copy to', 'with a copy to', 'cc', 'a copy to', 'copying', 'cc to'],
  bcc: ['blind copy to', 'bcc', 'hidden copy to', 'with a blind copy to', 'bcc to'],
  replyTo: ['replies to', 'reply to', 'answers to', 'reply goes to', 'replies go to'],
  from: ['from', 'sent by', 'in the name of'],
  template: ['template', 'the template', 'with the template', 'using the template', 'with template', 'using template', 'using', 'by the template'],
  attach: ['attach', 'attaching', 'attached', 'with the file', 'with file', 'with'],
  link: ['with a link to', 'a link to'],
  saying: ['saying', 'telling', 'giving', 'say', 'with the text', 'including'],
  subject: ['subject', 'with the subject', 'headed'],
  ifNobody: ['if nobody', 'or if nobody', 'otherwise to', 'failing that'],
})
export const PRIORITIES = named({
  high: ['high', 'high priority', 'with high priority', 'urgent', 'urgently', 'as important', 'important'],
  low: ['low priority', 'low', 'with low priority'],
  normal: ['normal priority'],
})
export const DELIVERIES = named({ each: ['one each', 'each separately', 'separately', 'one mail each'], together: ['one mail to all', 'together', 'all in one mail'] })
export const OWNER_SENDS = keyword('the owner', 'its owner', 'owner')
