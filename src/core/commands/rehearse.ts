import { readRehearsal } from '../collecting/read.ts'
import { rehearse } from '../collecting/rehearse.ts'
import { runCommand } from './command.ts'

await runCommand((document) => rehearse(readRehearsal(document)))
