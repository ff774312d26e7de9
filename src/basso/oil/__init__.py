"""What oil is: grades and viscosity."""
