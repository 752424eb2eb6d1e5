/** The memory and the scratch that runs and queries share. Who uses it is not known here. */
package yardage.service.memory;
