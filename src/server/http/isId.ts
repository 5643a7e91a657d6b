const ID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/

/** Whether a text has the form of an id of ours (RFC 9562), as it stands in addresses. */
export function isId(text: string): boolean {
  return ID.test(text)
}
