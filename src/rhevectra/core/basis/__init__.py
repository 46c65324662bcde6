"""What every stage is written with: quantities, formulas, sheets, corners, decisions, findings."""
