import { many } from '@/store/database'
import { DONE_BY, OF_OTHERS, OF_THE_LOG, type Place } from '@/store/personal/mentions'
import { freshDatabase } from '../support/database'

/** Every column of Rappel's own that can hold words is known to what erases somebody, or to hold nothing of people: one that is new has to be thought about. */

const of = ({ table, texts = [], json = [] }: Place) => [...texts, ...json].map((column) => `${table}.${column}`)

/** What is gone through for what it says of somebody. */
const GONE_THROUGH = [...OF_THE_LOG, OF_OTHERS].flatMap(of).concat(DONE_BY.map((table) => `${table}.by`))

/** What is erased otherwise: by the address itself, by the person, or with what it belongs to. */
const ERASED_OTHERWISE = [
  'account_link.purpose account_link.mail_reply',
  'actor.key actor.by',
  'api_token.name api_token.token_hash api_token.role',
  'audit.by audit.subject audit.details',
  'bounce.address',
  'change_json.before change_json.after',
  'figure_hour.grp',
  'message.stop_link message.attachments',
  'message_recipient.address message_recipient.name message_recipient.path',
  'own_say.address',
  'passed.key',
  'person.name person.first_name person.last_name person.email person.phone person.role person.password_hash',
  'person_group.addresses',
  'session.token_hash session.way session.agent session.caller',
  'suppression.address',
]

/** What people set up, where an address stays and is named; and what follows records, workflows or a server's state as they are. */
const STAYS = [
  'attached_field.seen broken.problems',
  'field_def.choices field_def.default_value field_def.marks',
  'figure.definition figure.basis figure.fault figure.behind figure_part.grp figure_part.val figure_value.grp figure_value.sides',
  'import_def.definition sender.display sender.address setting.value template.subject template.body template.attachments template_version.document view.definition',
  'trial.document workflow.draft workflow_version.document workflow_version.overruled workflow_version.notes',
  'attached.trouble hook.reply mail_state.reply unlogged.error unlogged_row.image',
]

/** Names of tables, fields, workflows and other things, kinds, states, codes, ids, addresses of programs, secrets, and numbers of processes. */
const OF_NOBODY = [
  'answered.who answered.key answered.asked',
  'attached.tbl attached.schema_name attached.base_name attached.zone attached_field.tbl attached_field.field attached_field.attname attached_field.type attached_news.tbl',
  'audit.caller audit.what bounce.action bounce.status bulk.tbl bulk.kind change_apart.tbl change_json.tbl change_json.kind change_json.changed',
  'channel.name channel.url channel.secret crossing.threshold delivery_attempt.outcome',
  'field_def.table_name field_def.name field_def.label field_def.type field_def.target field_def.number_pattern',
  'figure.name figure.tbl file.name file.media_type file.hash file_content.hash file_content.content fitted.rec group_member.group_name',
  'hook.name hook.url hook.secret hook.tables import_def.name import_def.tbl import_file.import import_file.file import_file.mark',
  'library_file.name log_column.tbl log_column.field log_column.stem log_column.type log_of.tbl log_of.on_insert log_of.on_update log_of.on_delete log_of.on_truncate',
  'mail_pace.server message.action message.tbl message.rec message.message_id message.priority message.state message.held_for message.thread message.trace',
  'message_recipient.part message_recipient.state meter.process meter.metrics migration.name notice.channel notice.tbl notice.rec notice.state',
  'own_say.say part.name passed.run person.team person_group.name press.records queue.tbl queue.rec run.tbl run.rec run.state run.kind run.key',
  'sample.process sample.part sample.data sender.name setting.key sign_in_attempt.key stay.key stay.tbl stay.rec stay.outcome stretch.state suppression.reason',
  'table_def.name table_def.label table_def.singular table_def.title_field table_def.owner_field template.name template.table_name template.format template.priority template_version.name',
  'tick.cursor traced.trace trial.record trouble_told.standing trouble_told.channel trouble_told.channel_standing unlogged.tbl unlogged.op unlogged.writer view.tbl view.name worker.host worker.parts workflow.name workflow.state',
]

test('each column that can hold words is gone through, is erased otherwise, stays and is named, or is of nobody', async () => {
  const db = await freshDatabase()
  try {
    const columns = await many<{ name: string }>(
      db.pool,
      `select c.relname || '.' || a.attname as name from pg_attribute a join pg_class c on c.oid = a.attrelid
        where c.relnamespace = 'rappel'::regnamespace and c.relkind in ('r', 'p') and not c.relispartition and a.attnum > 0 and not a.attisdropped
          and a.atttypid = any(array['text', 'text[]', 'json', 'jsonb', 'varchar', 'bytea']::regtype[])`,
    )
    const known = [...GONE_THROUGH, ...[...ERASED_OTHERWISE, ...STAYS, ...OF_NOBODY].flatMap((line) => line.split(' '))]
    expect([...known].sort()).toEqual(columns.map((c) => c.name).sort())
  } finally {
    await db.drop()
  }
})
