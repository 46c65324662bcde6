"""What stands wherever figures are handed on."""

CAUTIONS = ("Mains and the bus behind it kill, also minutes after switch-off: discharge, wait, then measure before touching. First "
            "power-up through an isolation transformer and a series lamp. "
            "These figures are a starting point for a qualified person, who answers for the design, its testing and the local codes. "
            "Insulation, creepage and clearance are to be confirmed "
            "against the standard in force and by a test house.")
