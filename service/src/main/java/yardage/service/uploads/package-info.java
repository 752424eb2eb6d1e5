/** Files on their way into the inbox: in parts, resumed where they broke off, checked by hash. */
package yardage.service.uploads;
