// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/command.h"

namespace imprimo::ctl {

// One file each.
CommandRow pinsCommand();
CommandRow findCommand();
CommandRow portsCommand();
CommandRow probesCommand();
CommandRow shareCommand();
CommandRow scanCommand();
CommandRow identifyCommand();
CommandRow configureCommand();
CommandRow restartCommand();
CommandRow devicesCommand();
CommandRow coresCommand();
CommandRow consoleCommand();
CommandRow packsCommand();
CommandRow ledgerCommand();
CommandRow releaseCommand();
CommandRow keysCommand();
CommandRow lineCommand();
CommandRow libraryCommand();
CommandRow packSheetCommand();
CommandRow unlockCommand();
CommandRow wordsCommand();
CommandRow pokeCommand();
CommandRow registersCommand();
CommandRow convertCommand();
CommandRow inspectCommand();
CommandRow compareCommand();
CommandRow readCommand();
CommandRow recordsCommand();
CommandRow reportCommand();
CommandRow helpCommand();
CommandRow settingsCommand();
CommandRow blankCommand();
CommandRow eraseCommand();
CommandRow programCommand();
CommandRow verifyCommand();
CommandRow copiesCommand();
CommandRow restoreCommand();
CommandRow trialCommand();
CommandRow exportCommand();
CommandRow playCommand();
CommandRow vectorsCommand();

std::span<const CommandRow> commandTable() {
  // In the order of the help.
  static const CommandRow kCommands[] = {
      probesCommand(),    portsCommand(),   shareCommand(),   scanCommand(),      identifyCommand(),
      configureCommand(), restartCommand(), devicesCommand(), pinsCommand(),      findCommand(),
      coresCommand(),     consoleCommand(), packsCommand(),   libraryCommand(),   packSheetCommand(),
      unlockCommand(),    wordsCommand(),   pokeCommand(),    registersCommand(), convertCommand(),
      inspectCommand(),   compareCommand(), readCommand(),    blankCommand(),     eraseCommand(),
      programCommand(),   verifyCommand(),  copiesCommand(),  restoreCommand(),   trialCommand(),
      exportCommand(),    playCommand(),    vectorsCommand(), ledgerCommand(),    recordsCommand(),
      releaseCommand(),   keysCommand(),    lineCommand(),    reportCommand(),    settingsCommand(),
      helpCommand(),
  };
  return kCommands;
}

}  // namespace imprimo::ctl
