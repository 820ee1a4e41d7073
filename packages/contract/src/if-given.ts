import { ValidateIf } from "class-validator";

/** May be left out, but is no null: what is left out stays as it is. (`IsOptional` lets null pass.) */
export const IfGiven = (): PropertyDecorator => ValidateIf((_, value) => value !== undefined);
