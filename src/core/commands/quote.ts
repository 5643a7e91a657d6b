import { quote } from '../quote/quote.ts'
import { readQuoteRequest } from '../quote/read.ts'
import { runCommand } from './command.ts'

await runCommand((document) => quote(readQuoteRequest(document)))
