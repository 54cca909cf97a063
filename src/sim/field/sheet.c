/* The simulated drive's data sheet by CiA 306, from the table of its objects. */
#include "field.h"
#include <string.h>

static bool is_new(int i) {
    return i == 0 || wpin_od[i].index != wpin_od[i - 1].index;
}

static unsigned parts_of(int i) {
    unsigned count = 0;
    for (uint16_t index = wpin_od[i].index; i < OD_COUNT && wpin_od[i].index == index; i++) {
        count++;
    }
    return count;
}

static bool is_mandatory(uint16_t index) {
    return index == 0x1000 || index == 0x1001 || index == 0x1018;
}

static int list_of(uint16_t index) {
    return is_mandatory(index) ? 0 : index >= 0x2000 && index < 0x6000 ? 2 : 1;
}

/* Which objects there are of one of the three lists. */
static void write_list(FILE *to, const char *name, int list) {
    unsigned count = 0;
    for (int i = 0; i < OD_COUNT; i++) {
        count += is_new(i) && list_of(wpin_od[i].index) == list;
    }
    fprintf(to, "[%s]\nSupportedObjects=%u\n", name, count);
    count = 0;
    for (int i = 0; i < OD_COUNT; i++) {
        if (is_new(i) && list_of(wpin_od[i].index) == list) {
            fprintf(to, "%u=0x%04X\n", ++count, wpin_od[i].index);
        }
    }
    fprintf(to, "\n");
}

static unsigned type_of(const wpin_od_object *o) {
    bool sign = (o->access & OD_SIGNED) != 0;
    return (o->access & OD_TEXT) != 0 ? 9
           : o->size == 1             ? (sign ? 2 : 5)
           : o->size == 2             ? (sign ? 3 : 6)
                                      : (sign ? 4 : 7);
}

/* Its name without what follows for people. */
static void write_value(FILE *to, const wpin_od_object *o) {
    bool text = (o->access & OD_TEXT) != 0;
    const char *name = text ? (o->index == 0x1008 ? "Device name" : "Software version") : o->name;
    fprintf(to, "ParameterName=%.*s\nObjectType=0x7\nDataType=0x%04X\nAccessType=%s\n",
            (int)strcspn(name, ",:"), name, type_of(o), (o->access & OD_WRITE) != 0 ? "rw" : "ro");
    if (!text && (o->access & OD_WRITE) != 0) {
        fprintf(to, "LowLimit=%lld\nHighLimit=%lld\n", (long long)o->least, (long long)o->most);
    }
    if (!text) {
        fprintf(to, "DefaultValue=%lld\n", (long long)o->initial);
    }
    fprintf(to, "PDOMapping=%d\n\n", (o->access & OD_MAP) != 0);
}

void wpin_sim_write_eds(FILE *to) {
    fprintf(to, "[FileInfo]\nFileName=simulated-drive.eds\nFileVersion=1\nFileRevision=0\n"
                "EDSVersion=4.0\nDescription=The simulated drive of Wind Pin\n\n"
                "[DeviceInfo]\nVendorName=none\nVendorNumber=0\nProductName=Simulated drive\n"
                "ProductNumber=1\nRevisionNumber=1\nSimpleBootUpMaster=0\nSimpleBootUpSlave=1\n"
                "Granularity=8\nNrOfRXPDO=3\nNrOfTXPDO=2\nLSS_Supported=0\n\n");
    write_list(to, "MandatoryObjects", 0);
    write_list(to, "OptionalObjects", 1);
    write_list(to, "ManufacturerObjects", 2);
    for (int i = 0; i < OD_COUNT; i++) {
        const wpin_od_object *o = &wpin_od[i];
        unsigned parts = parts_of(i);
        bool alone = is_new(i) && parts == 1 && o->sub == 0;
        if (is_new(i) && !alone) {
            fprintf(to, "[%04X]\nParameterName=%.*s\nObjectType=0x9\nSubNumber=%u\n\n", o->index,
                    (int)strcspn(o->name, ",:"), o->name, parts);
        }
        fprintf(to, alone ? "[%04X]\n" : "[%04Xsub%X]\n", o->index, o->sub);
        write_value(to, o);
    }
}
