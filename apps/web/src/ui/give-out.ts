/** Event on the window that asks every editor to give out what was typed, before something is done with the texts. */
export const giveOutEvent = "gate-clock-give-out";
