"""The mains filter: noise spectrum of the sized waveforms, chokes and Y capacitors that bring it below the limits. An estimate, and told as
one."""
