/** The words of the stage of dispatch, and of the out-tray. */
export const words = {
  plainUntracked: 'The letter goes as plain text: opens and followed links cannot be seen.',
}
