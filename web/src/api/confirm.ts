/** A question before something that can't be taken back. */
export interface Question {
  /** What is done, as a noun: "Delete template". */
  title: string
  /** The question, with its number and its consequence. */
  text: string
  /** The verb and its object, as on the button. */
  act: string
  /** What the other button says; Cancel where nothing runs. */
  cancel?: string
  /** Whether something is destroyed: the button must not look like one that saves. */
  destroys?: boolean
}

/** Asks; true where the person goes through with it. */
export async function confirmed({ title, text, act, cancel, destroys }: Question): Promise<boolean> {
  try {
    await ElMessageBox.confirm(text, title, {
      confirmButtonText: act,
      cancelButtonText: cancel ?? 'Cancel',
      confirmButtonClass: destroys ? 'destroys' : '',
      autofocus: false,
    })
    return true
  } catch {
    return false
  }
}

/** Asks for another name of something; none where the person does not go through with it. */
export async function newName(
  of: 'dispatch' | 'source' | 'template',
  name: string,
): Promise<string | undefined> {
  const asked = await ElMessageBox.prompt(`Name of the ${of}`, `Rename ${of}`, {
    confirmButtonText: 'Rename',
    cancelButtonText: 'Cancel',
    inputValue: name,
    inputValidator: (text: string) => !!text.trim() || 'Enter a name',
  }).catch(() => undefined)
  return asked?.value.trim()
}
