"""Three-phase front end: three boost stages on one bus with a mid-point, each drawing a sine in step with its phase."""
