"""Power factor stages: a boost converter that draws a sine from the line, its control, its bus capacitor; one module beside this package
for each law of conduction."""
