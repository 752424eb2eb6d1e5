/** Set-aside rows: looking at them, exporting, correcting, and taking them in again. */
package yardage.service.setaside;
