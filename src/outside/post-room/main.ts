import { onStop } from '@/process'
import { PostRoom } from './post-room'

const { RAPPEL_HOME = '.rappel', RAPPEL_SMTP_PORT = '4172', RAPPEL_POST_ROOM_PORT = '4171' } = process.env

const room = await PostRoom.open({ folder: `${RAPPEL_HOME}/post-room`, smtpPort: Number(RAPPEL_SMTP_PORT), httpPort: Number(RAPPEL_POST_ROOM_PORT) })
onStop(() => room.close())
process.send?.('ready')
