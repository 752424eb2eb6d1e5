/**
 * Tells a text that the editor told its page, and that now comes back as the page's value, from one
 * that the page puts in. A busy page may show an older text of the editor's while a person already
 * typed on: it must not be put over what they typed.
 */
export class OwnTexts {
  private readonly told: string[] = []
  private shown: string

  constructor(first: string) {
    this.shown = first
  }

  /** The editor tells its page this text. */
  tell(text: string) {
    this.told.push(text)
  }

  /** Whether a value of the page comes from elsewhere and is to be put into the editor. */
  isFromElsewhere(value: string): boolean {
    const at = this.told.lastIndexOf(value)
    if (at >= 0) {
      this.told.splice(0, at + 1)
    } else if (value !== this.shown) {
      this.told.length = 0
      this.shown = value
      return true
    }
    this.shown = value
    return false
  }
}
